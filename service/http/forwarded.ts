import type { NextFunction, Request, Response } from "express";

/**
 * The addresses that a `Forwarded` field names (RFC 7239, section 4), in their order: the client first, then each proxy but
 * the last. Ports and the brackets of IPv6 are left out.
 */
export function forwardedFor(field: string): string[] {
  const pairs = /(?:^|[;,\s])for=(?:"((?:[^"\\]|\\.){0,200})"|([^\s;,"]{1,200}))/gi;
  return [...field.slice(0, 8_192).matchAll(pairs)].map(([, quoted, token]) => nodeOf(quoted ?? token ?? ""));
}

/** A node without its port (section 6): `192.0.2.1:47011`, `[2001:db8::17]:4711`, `unknown`, `_hidden`. */
function nodeOf(text: string): string {
  const bracketed = /^\[([^\]]*)\]/.exec(text);
  if (bracketed) return bracketed[1] ?? "";
  return text.replace(/:\d+$/, "");
}

/**
 * Lets `Forwarded` say what `X-Forwarded-For` says elsewhere; where both came, the standard one counts. Whether the sender may
 * say so at all is judged afterwards, as for the other field.
 */
export function readForwarded(request: Request, _response: Response, next: NextFunction): void {
  const { forwarded } = request.headers;
  if (forwarded !== undefined) request.headers["x-forwarded-for"] = forwardedFor(forwarded).join(", ");
  next();
}
