import { routes } from "@copper-kettle/contract";
import { bounds } from "@copper-kettle/core";
import express, { type Express, type NextFunction, type Request, type Response } from "express";
import { rateLimit } from "express-rate-limit";
import type { Context } from "./context.js";
import { HttpProblem, notFound } from "./problems.js";
import { owner } from "../credentials/rights.js";
import { requireOwner } from "./rights.js";
import { serve } from "./serve-route.js";
import { iso } from "./views.js";

/** The one route that is open and changes something: signing in. It comes before the token check. */
export function serveSignIn(app: Express, { auth }: Context): void {
  const limiter = rateLimit({
    windowMs: 60_000,
    limit: bounds.signIns,
    handler: (_request: Request, _response: Response, next: NextFunction) => {
      next(
        new HttpProblem(
          429,
          "too-many-tries",
          "Too many tries",
          "Wait a minute before the next sign-in.",
          {},
          { "Retry-After": "60" },
        ),
      );
    },
  });
  // Anybody may send this one: it is short, and read only for as many as may try.
  app.post(routes.openSession.path, limiter, express.text({ type: () => true, limit: "16kb" }));
  serve(app, routes.openSession, async ({ body, request, response }) => {
    auth.requireOwnOrigin(request);
    const secret = await auth.openSession(body.code);
    if (secret === undefined) {
      throw new HttpProblem(
        401,
        "link-spent",
        "This sign-in link is not good any more",
        "A link works once and for ten minutes. `ckettle status --link` prints a new one.",
      );
    }
    auth.setCookie(response, secret);
  });
}

export function serveSession(app: Express, { auth, publicUrl }: Context): void {
  serve(app, routes.session, async ({ by }) => ({ as: by }));
  serve(app, routes.closeSession, async ({ request, response }) => {
    await auth.closeSession(request);
    auth.setCookie(response, undefined);
  });
  serve(app, routes.signInLink, async ({ by }) => {
    const { code, expiresAt } = auth.createLink(by);
    return { url: `${publicUrl}/sign-in#code=${code}`, expiresAt: iso(expiresAt) };
  });

  serve(app, routes.listTokens, async () => ({
    tokens: (await auth.tokens()).map(({ name, createdAt }) => ({ name, createdAt: iso(createdAt) })),
  }));
  serve(app, routes.createToken, async ({ body }) => {
    if ((await auth.tokens()).some(({ name }) => name === body.name))
      throw new HttpProblem(
        409,
        "name-taken",
        "There is one of this name",
        `There is an access token "${body.name}" already; remove it first, or take another name.`,
      );
    const token = await auth.createToken(body.name);
    return { name: body.name, createdAt: iso(Date.now()), token };
  });
  serve(app, routes.removeToken, async ({ params, by }) => {
    if (params.name !== by) requireOwner(by);
    if (params.name === owner)
      throw new HttpProblem(
        409,
        "owner",
        "The owner's token stays",
        "The first access token is the owner's; it lies in the data folder and cannot be removed.",
      );
    if (!(await auth.removeToken(params.name))) throw notFound("access token", params.name);
  });
}
