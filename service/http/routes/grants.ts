import { routes, type Grant } from "@copper-kettle/contract";
import { principalName } from "@copper-kettle/core";
import type { Express } from "express";
import { iso, isoOrNull } from "../../times.js";
import type { Context } from "../context.js";
import { findWorkflow } from "../found.js";
import { notFound } from "../problems.js";
import { serve } from "../serve-route.js";

export function serveGrants(app: Express, context: Context): void {
  const { grants } = context.workflows;
  serve(app, routes.listGrants, async ({ params }) => {
    const { name, published } = await findWorkflow(context, params.name);
    const rows = published === null ? [] : await grants.of(name, published);
    return {
      version: published,
      grants: rows.map(({ kind, name, givenBy, givenAt, withdrawnBy, withdrawnAt }) => ({
        kind: kind as Grant["kind"],
        name,
        givenBy: principalName(givenBy),
        givenAt: iso(givenAt),
        withdrawnBy: withdrawnBy ? principalName(withdrawnBy) : null,
        withdrawnAt: isoOrNull(withdrawnAt),
      })),
    };
  });

  serve(app, routes.withdrawGrant, async ({ params, body, by }) => {
    const { name, published } = await findWorkflow(context, params.name);
    const place = { workflow: name, version: published ?? 0, ...body };
    if (!(await grants.withdraw(place, by))) throw notFound("grant", `${body.kind} ${body.name}`);
    const detail = `${body.kind} ${body.name}, from version ${place.version}`;
    await context.activity.note({ by, action: "withdrew", kind: "workflow", name, detail });
  });
}
