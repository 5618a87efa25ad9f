import type { Principal } from "@copper-kettle/core";
import { isOwner, mayChange, mayUse } from "../credentials/rights.js";
import type { OpenCredential } from "../store/credentials.js";
import { HttpProblem } from "./problems.js";

/** @throws HttpProblem 403 */
export function requireMayUse(open: OpenCredential, by: Principal): void {
  if (!mayUse(open, by)) throw refused(open.name, "use", open.mayUse);
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
