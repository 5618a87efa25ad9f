import { allCalls, type Step } from "@copper-kettle/core";
import type { ApiStore } from "../store/apis.js";
import type { OpenCredential } from "../store/credentials.js";

/** The name of the access token that was made at the installation: who holds it may do everything. */
export const owner = "owner";

/** Whether somebody may use a credential; the owner always may. */
export function mayUse(open: Pick<OpenCredential, "mayUse">, by: string): boolean {
  return by === owner || open.mayUse.length === 0 || open.mayUse.includes(by);
}

/** Whether somebody may change a credential: where nobody is named for that, those who may use it. */
export function mayChange(open: Pick<OpenCredential, "mayUse" | "mayChange">, by: string): boolean {
  const allowed = open.mayChange.length > 0 ? open.mayChange : open.mayUse;
  return by === owner || allowed.length === 0 || allowed.includes(by);
}

/** The credentials that the calls of some steps use: those that they name, and those of the APIs that they call. */
export function credentialsUsed(steps: readonly Step[], apis: Pick<ApiStore, "get">): Set<string> {
  const names = allCalls(steps).map(
    ({ using, operation }) => using ?? (operation && apis.get(operation.api)?.api.credential),
  );
  return new Set(names.filter((name) => name !== undefined));
}
