import { principalName, readPrincipal } from "@copper-kettle/core";
import { routes } from "@copper-kettle/contract";
import type { Express } from "express";
import { iso } from "../../times.js";
import type { Context } from "../context.js";
import { serve } from "../serve-route.js";

export function serveActivity(app: Express, context: Context): void {
  const { activity, journals } = context;

  serve(app, routes.listActivity, async ({ query }) => {
    const { credential, before, limit } = query;
    const rows = await activity.list({ name: credential, before, limit });
    const workflows = await journals.runs.workflowsOf(rows.flatMap(({ run }) => run ?? []));
    /** A run that is there still by its workflow. */
    const nameOf = (by: string): string => {
      const principal = readPrincipal(by);
      const workflow = principal?.kind === "run" ? workflows.get(principal.id) : undefined;
      return workflow === undefined ? principalName(by) : `workflow ${workflow}`;
    };
    return {
      activity: rows.map(({ id, at, by, action, kind, name, run, detail }) => ({
        id,
        at: iso(at),
        by: nameOf(by),
        action,
        kind,
        name,
        run,
        detail,
      })),
    };
  });
}
