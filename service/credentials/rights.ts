import { workflowCalls, type Principal, type Workflow } from "@copper-kettle/core";
import type { ApiStore } from "../store/apis.js";
import type { OpenCredential } from "../store/credentials.js";

/** The name of the access token that was made at the installation: who holds it may do everything. */
export const owner = "owner";

/** Whether somebody holds the owner's token: a run or a person of that name does not. */
export const isOwner = ({ kind, id }: Principal): boolean => kind === "token" && id === owner;

/** Whether somebody is named in a list of those who may: it names access tokens. */
const isOneOf = (names: readonly string[], { kind, id }: Principal): boolean =>
  kind === "token" && names.includes(id);

/** Whether somebody may use a credential; the owner always may. */
export function mayUse(open: Pick<OpenCredential, "mayUse">, by: Principal): boolean {
  return isOwner(by) || open.mayUse.length === 0 || isOneOf(open.mayUse, by);
}

/** Whether somebody may change a credential: where nobody is named for that, those who may use it. */
export function mayChange(open: Pick<OpenCredential, "mayUse" | "mayChange">, by: Principal): boolean {
  const allowed = open.mayChange.length > 0 ? open.mayChange : open.mayUse;
  return isOwner(by) || allowed.length === 0 || isOneOf(allowed, by);
}

/**
 * The credentials that a workflow uses: those that its calls name, those of the APIs that it calls, and those that its
 * webhooks verify deliveries with.
 */
export function credentialsUsed(
  workflow: Pick<Workflow, "steps" | "triggers"> | undefined,
  apis: Pick<ApiStore, "get">,
): Set<string> {
  if (!workflow) return new Set();
  const calls = workflowCalls(workflow).flatMap(
    ({ using, operation }) => using ?? (operation && apis.get(operation.api)?.api.credential),
  );
  const verifiers = Object.values(workflow.triggers).map((one) =>
    one.kind === "webhook" && "using" in one.verify ? one.verify.using : undefined,
  );
  return new Set([...calls, ...verifiers].filter((name) => name !== undefined));
}
