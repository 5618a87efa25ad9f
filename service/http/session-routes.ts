import { routes } from "@copper-kettle/contract";
import type { Express, NextFunction, Request, Response } from "express";
import { rateLimit } from "express-rate-limit";
import type { Context } from "./context.js";
import { requireOwnOrigin } from "./auth.js";
import { HttpProblem } from "./problems.js";
import { serve } from "./serve-route.js";
import { iso } from "./views.js";

/** The one route that is open and changes something: signing in. It comes before the token check. */
export function serveSignIn(app: Express, { auth }: Context): void {
  const limiter = rateLimit({
    windowMs: 60_000,
    limit: 30,
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
  app.post(routes.openSession.path, limiter);
  serve(app, routes.openSession, async ({ body, request, response }) => {
    requireOwnOrigin(request);
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

export function serveSession(app: Express, { auth, url }: Context): void {
  serve(app, routes.session, async ({ by }) => ({ as: by }));
  serve(app, routes.closeSession, async ({ request, response }) => {
    await auth.closeSession(request);
    auth.setCookie(response, undefined);
  });
  serve(app, routes.signInLink, async () => {
    const { code, expiresAt } = auth.createLink();
    return { url: `${url}/sign-in#code=${code}`, expiresAt: iso(expiresAt) };
  });
}
