/** What a call does on the API. Retry, unsure and rehearsal look at it alone. */
export type Effect = "reads" | "writes" | "repeatable";

const reading = new Set(["GET", "HEAD", "OPTIONS", "TRACE", "QUERY"]);
const idempotent = new Set(["PUT", "DELETE"]);

/**
 * The effect of a method where nothing else is said: safe and idempotent methods as in RFC 9110 section 9.2, and QUERY
 * of draft-ietf-httpbis-safe-method-w-body.
 */
export function defaultEffect(method: string): Effect {
  if (reading.has(method)) return "reads";
  return idempotent.has(method) ? "repeatable" : "writes";
}
