import { routes } from "@copper-kettle/contract";
import type { Express } from "express";
import { owner } from "../../credentials/rights.js";
import { iso } from "../../times.js";
import type { Context } from "../context.js";
import { HttpProblem, notFound } from "../problems.js";
import { requireOwner } from "../rights.js";
import { serve } from "../serve-route.js";

export function serveTokens(app: Express, { auth }: Context): void {
  serve(app, routes.listTokens, async () => ({
    tokens: (await auth.tokens()).map(({ name, createdAt }) => ({ name, createdAt: iso(createdAt) })),
  }));

  serve(app, routes.createToken, async ({ body }) => {
    if ((await auth.tokens()).some(({ name }) => name === body.name))
      throw new HttpProblem(
        409,
        "name-taken",
        "The name is taken",
        `There is already an access token "${body.name}". Remove it first, or use another name.`,
      );
    const token = await auth.createToken(body.name);
    return { name: body.name, createdAt: iso(Date.now()), token };
  });

  serve(app, routes.removeToken, async ({ params, by }) => {
    if (by.kind !== "token" || params.name !== by.id) requireOwner(by);
    if (params.name === owner)
      throw new HttpProblem(
        409,
        "owner",
        "The owner's token cannot be removed",
        "The first access token is the owner's; it is in the data folder and cannot be removed.",
      );
    if (!(await auth.removeToken(params.name))) throw notFound("access token", params.name);
  });
}
