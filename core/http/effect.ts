/** What a call does on the API. Retry, unsure and rehearsal look at it alone. */
export type Effect = "reads" | "writes" | "repeatable";

/** Methods whose effect a specification says; any other is said by whoever calls. */
const effects: Record<string, Effect> = {
  // RFC 9110 section 9.2, RFC 5789 (PATCH), and draft-ietf-httpbis-safe-method-w-body (QUERY).
  ...{ GET: "reads", HEAD: "reads", OPTIONS: "reads", TRACE: "reads", QUERY: "reads" },
  ...{ PUT: "repeatable", DELETE: "repeatable", POST: "writes", PATCH: "writes" },
  // WebDAV and what stands on it: RFC 4918 section 9, RFC 3253 (REPORT), RFC 5323 (SEARCH), RFC 3744 (ACL), RFC 4791.
  ...{ PROPFIND: "reads", REPORT: "reads", SEARCH: "reads" },
  ...{ PROPPATCH: "writes", MKCOL: "writes", COPY: "writes", MOVE: "writes", LOCK: "writes" },
  ...{ UNLOCK: "writes", ACL: "writes", MKCALENDAR: "writes" },
};

/** The methods whose effect is known. */
export const knownMethods: readonly string[] = Object.keys(effects);

/** The effect that a specification gives a method; undefined if none does. */
export function knownEffect(method: string): Effect | undefined {
  return Object.hasOwn(effects, method) ? effects[method] : undefined;
}

/** The effect of a method if nobody says more: an unknown one may write. */
export function defaultEffect(method: string): Effect {
  return knownEffect(method) ?? "writes";
}

/** A method (RFC 9110 section 9.1: a token, whose case counts). CONNECT asks a proxy for a tunnel, and calls nothing. */
export function isMethod(text: string): boolean {
  return /^[!#$%&'*+\-.^_`|~0-9A-Za-z]+$/.test(text) && text !== "CONNECT";
}
