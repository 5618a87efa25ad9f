import type { Principal } from "@copper-kettle/core";
import { routes } from "@copper-kettle/contract";
import type { Express } from "express";
import type { Context } from "../context.js";
import { serve } from "../serve-route.js";

export function serveNotifications(app: Express, context: Context): void {
  const { notifier, activity } = context;
  const noted = (by: Principal, action: string, name: string): Promise<void> =>
    activity.note({ by, action, kind: "settings", name });
  serve(app, routes.notifications, async () => notifier.view());

  serve(app, routes.putNotifications, async ({ body, by }) => {
    const secret = await notifier.change(body);
    await noted(by, "changed", "notifications");
    return { ...notifier.view(), ...(secret ? { secret } : {}) };
  });

  serve(app, routes.tryNotifications, async () => ({ sent: await notifier.try() }));
}
