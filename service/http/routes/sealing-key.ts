import { routes } from "@copper-kettle/contract";
import type { Express } from "express";
import type { Context } from "../context.js";
import { serve } from "../serve-route.js";

export function serveSealingKey(app: Express, context: Context): void {
  const { sealing } = context;

  serve(app, routes.rotateKey, async () => ({ dataKeys: await sealing.rotate() }));
}
