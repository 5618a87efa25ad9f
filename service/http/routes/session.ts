import { routes } from "@copper-kettle/contract";
import { bounds } from "@copper-kettle/core";
import { type Express, type NextFunction, type Request, type Response } from "express";
import { rateLimit } from "express-rate-limit";
import { iso } from "../../times.js";
import type { Context } from "../context.js";
import { HttpProblem } from "../problems.js";
import { serve } from "../serve-route.js";

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
  app.post(routes.openSession.path, limiter);
  serve(app, routes.openSession, async ({ body, request, response }) => {
    auth.requireOwnOrigin(request);
    const secret = await auth.openSession(body.code);
    if (secret === undefined) {
      throw new HttpProblem(
        401,
        "link-spent",
        "This sign-in link is no longer valid",
        "A link works once and for ten minutes. `ckettle status --link` prints a new one.",
      );
    }
    auth.setCookie(response, secret);
  });
}

export function serveSession(app: Express, { auth, publicUrl }: Context): void {
  serve(app, routes.session, async ({ by }) => ({ as: by.id }));

  serve(app, routes.closeSession, async ({ request, response }) => {
    await auth.closeSession(request);
    auth.setCookie(response, undefined);
  });

  serve(app, routes.signInLink, async ({ by }) => {
    const { code, expiresAt } = auth.createLink(by.id);
    return { url: `${publicUrl}/sign-in#code=${code}`, expiresAt: iso(expiresAt) };
  });
}
