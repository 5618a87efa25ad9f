import { routes } from "@copper-kettle/contract";
import type { Express } from "express";
import type { Context } from "../context.js";
import { HttpProblem, notFound } from "../problems.js";
import { serve } from "../serve-route.js";

export function serveConstants(app: Express, context: Context): void {
  const { constants } = context;

  serve(app, routes.constants, async () => ({ constants: constants.all() }));

  serve(app, routes.putConstant, async ({ params, body }) => {
    if (body.value === undefined)
      throw new HttpProblem(400, "invalid-request", "There is no value", 'The body must have a "value".');
    await constants.put(params.name, body.value);
    return { constants: constants.all() };
  });

  serve(app, routes.removeConstant, async ({ params }) => {
    if (!(await constants.remove(params.name))) throw notFound("constant", params.name);
  });
}
