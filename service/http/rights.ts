import type { OpenCredential } from "../store/credentials.js";
import { HttpProblem } from "./problems.js";

/** The name of the access token that was made at the installation: who holds it may do everything. */
export const owner = "first";

/** @throws HttpProblem 403 */
export function requireMayUse({ name, mayUse }: OpenCredential, by: string): void {
  if (by !== owner && mayUse.length > 0 && !mayUse.includes(by)) throw refused(name, "use", mayUse);
}

/** @throws HttpProblem 403 */
export function requireMayChange({ name, mayChange }: OpenCredential, by: string): void {
  if (by !== owner && mayChange.length > 0 && !mayChange.includes(by))
    throw refused(name, "change", mayChange);
}

function refused(name: string, what: string, allowed: string[]): HttpProblem {
  return new HttpProblem(
    403,
    "not-allowed",
    `You may not ${what} this credential`,
    `The credential "${name}" may be ${what === "use" ? "used" : "changed"} by ${allowed.join(", ")} only. One of them, or the owner, can allow more.`,
  );
}
