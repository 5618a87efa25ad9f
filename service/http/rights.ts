import type { Principal } from "@copper-kettle/core";
import { isOwner, mayChange, mayUse } from "../credentials/rights.js";
import type { CredentialStore, OpenCredential } from "../store/credentials.js";
import { HttpProblem, notFound } from "./problems.js";

/** @throws HttpProblem 403 */
export function requireMayUse(open: OpenCredential, by: Principal): void {
  if (!mayUse(open, by)) throw refused(open.name, "use", open.mayUse);
}

/** Of a call that a person makes: its credential is there, and theirs to use. @throws HttpProblem 403, 404 */
export function requireMayCall(
  credentials: Pick<CredentialStore, "get">,
  using: string | undefined,
  by: Principal,
): void {
  if (using === undefined) return;
  const open = credentials.get(using);
  if (!open) throw notFound("credential", using);
  requireMayUse(open, by);
}

/** @throws HttpProblem 403 */
export function requireMayChange(open: OpenCredential, by: Principal): void {
  if (!mayChange(open, by))
    throw refused(open.name, "change", open.mayChange.length > 0 ? open.mayChange : open.mayUse);
}

/** @throws HttpProblem 403 */
export function requireOwner(by: Principal): void {
  if (!isOwner(by))
    throw new HttpProblem(
      403,
      "not-allowed",
      "Only the owner may do this",
      "This needs the owner's access token: the first one, which lies in the data folder.",
    );
}

function refused(name: string, what: "use" | "change", allowed: string[]): HttpProblem {
  return new HttpProblem(
    403,
    "not-allowed",
    `You may not ${what} this credential`,
    `The credential "${name}" may be ${what === "use" ? "used" : "changed"} by ${allowed.join(", ")} only. One of them, or the owner, can allow more.`,
  );
}
