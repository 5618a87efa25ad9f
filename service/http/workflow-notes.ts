import type { WorkflowDetail } from "@copper-kettle/contract";
import { apiChanges, operationCalls, type Step } from "@copper-kettle/core";
import type { Context } from "./context.js";

/** The scopes that the operations of a workflow want, beside those that its credentials have. */
export function scopesView(
  { apis, credentials, tokens }: Context,
  steps: readonly Step[],
): WorkflowDetail["scopes"] {
  return operationCalls(steps).flatMap(({ step, line, api, id, using }) => {
    const open = apis.get(api)?.api;
    const wanted = open?.operations.find((one) => one.id === id)?.scopes ?? [];
    const name = using ?? open?.credential;
    const credential = name === undefined ? undefined : credentials.get(name)?.credential;
    if (wanted.length === 0 || name === undefined || credential?.kind !== "oauth2") return [];
    const granted = tokens.current(name)?.scopes;
    const has = granted ?? credential.scopes;
    const missing = wanted.filter((scope) => !has.includes(scope));
    const known = granted ? ("token" as const) : ("asked" as const);
    return [{ step, line, operation: `${api}.${id}`, credential: name, wanted, has, known, missing }];
  });
}

/** Operations that a workflow uses and that have changed since it was published. */
export async function changedOperations(
  { apis }: Context,
  steps: readonly Step[],
  publishedAt: number,
): Promise<WorkflowDetail["changedOperations"]> {
  const calls = operationCalls(steps);
  const found: WorkflowDetail["changedOperations"] = [];
  for (const name of new Set(calls.map(({ api }) => api))) {
    const open = apis.get(name);
    if (!open || open.changedAt <= publishedAt) continue;
    const revision = await apis.revisionAt(name, publishedAt);
    const before = revision === undefined ? undefined : await apis.revision(name, revision);
    if (!before) continue;
    const used = new Set(calls.filter(({ api }) => api === name).map(({ id }) => id));
    for (const { id, method, path, what, details } of apiChanges(before.api, open.api)) {
      const old = before.api.operations.find((one) => one.method === method && one.path === path)?.id ?? id;
      if (used.has(old)) found.push({ operation: `${name}.${old}`, what, details });
    }
  }
  return found;
}
