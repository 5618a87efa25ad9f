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

/** The header in which proxies say for whom they ask. */
export type ForwardedField = "x-forwarded-for" | "forwarded";

/**
 * Lets `Forwarded` say what `X-Forwarded-For` says elsewhere. A proxy passes on what it does not set itself, so the field that
 * it sets is the only one that counts, where that is known; else `X-Forwarded-For`, if it came. Whether the sender may say so
 * at all is judged afterwards.
 */
export function readForwarded(field: ForwardedField | undefined) {
  return ({ headers }: Request, _response: Response, next: NextFunction): void => {
    const { forwarded } = headers;
    const takesForwarded =
      field === "forwarded" || (field === undefined && headers["x-forwarded-for"] === undefined);
    if (takesForwarded && (forwarded !== undefined || field === "forwarded"))
      headers["x-forwarded-for"] = forwardedFor(forwarded ?? "").join(", ");
    next();
  };
}
