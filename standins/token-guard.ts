import type { NextFunction, Request, Response } from "express";
import type { Identity } from "./identity.js";

/**
 * Lets a request pass whose token is for this API and has a scope; says what is wrong with any other, as RFC 6750
 * section 3 has it.
 */
export function tokenGuard(identity: Identity, resource: string, scopeFor: (request: Request) => string) {
  return async (request: Request, response: Response, next: NextFunction): Promise<void> => {
    const refuse = (status: number, error: string, description: string, more = ""): void => {
      response
        .status(status)
        .set(
          "WWW-Authenticate",
          `Bearer realm="larkspur", error="${error}", error_description="${description}"${more}`,
        )
        .json({ error, message: description });
    };
    const field = request.get("authorization");
    if (!field?.startsWith("Bearer ")) {
      response.status(401).set("WWW-Authenticate", 'Bearer realm="larkspur"').json({
        error: "unauthorized",
        message: "The header Authorization must be: Bearer <token>.",
      });
      return;
    }
    const accepted = await identity.accept(field.slice(7));
    if (!accepted) return refuse(401, "invalid_token", "The token is not known, or has run out.");
    if (accepted.audience !== resource)
      return refuse(401, "invalid_token", `The token is meant for another audience than ${resource}.`);
    const scope = scopeFor(request);
    if (!accepted.scopes.includes(scope))
      return refuse(403, "insufficient_scope", `This wants the scope ${scope}.`, `, scope="${scope}"`);
    next();
  };
}
