import type { Run, WorkflowDetail, WorkflowSummary } from "@copper-kettle/contract";
import { operationById, apiChanges, operationCalls, outline, type Workflow } from "@copper-kettle/core";
import type { WorkflowRecord } from "../store/models.js";
import { iso } from "../times.js";
import type { Context } from "./context.js";

/** Workflows as the API lists them, each with its last runs. */
export async function workflowSummaries(
  { workflows, journals }: Context,
  rows: WorkflowRecord[],
): Promise<WorkflowSummary[]> {
  const publishedText = async (row: WorkflowRecord): Promise<string | null> =>
    row.published === null ? null : ((await workflows.version(row.name, row.published))?.text ?? null);
  return Promise.all(
    rows.map(async (row) => {
      const { partial } = await workflows.checked(row.draft);
      const recent = await journals.runs.list({ workflow: row.name }, 12);
      return {
        name: row.name,
        title: row.title,
        published: row.published,
        draft: (await publishedText(row)) !== row.draft,
        problems: row.problems,
        triggers: Object.entries(partial?.triggers ?? {}).map(
          ([name, trigger]) => `${name}: ${trigger.kind}`,
        ),
        changedAt: iso(row.changedAt),
        recent: recent
          .reverse()
          .map((run) => ({ id: run.id, state: run.state as Run["state"], createdAt: iso(run.createdAt) })),
      };
    }),
  );
}

/** One workflow with a text of it: its draft, or the one of a version. */
export async function workflowDetail(
  context: Context,
  row: WorkflowRecord,
  digest = row.draft,
): Promise<WorkflowDetail> {
  const { workflows } = context;
  const [summary] = await workflowSummaries(context, [row]);
  const { partial, problems } = await workflows.checked(digest);
  const steps = partial?.steps ?? [];
  const version = row.published === null ? null : await workflows.version(row.name, row.published);
  return {
    ...(summary as NonNullable<typeof summary>),
    text: await workflows.text(digest),
    revision: row.revision,
    about: partial?.about ?? null,
    inputs: partial?.inputs ?? null,
    examples: Object.values(partial?.triggers ?? {}).flatMap((trigger) =>
      trigger.kind === "by-hand" ? trigger.examples.map(({ name, inputs }) => ({ name, inputs })) : [],
    ),
    outline: outline(steps),
    problemList: problems,
    scopes: partial ? scopesView(context, partial) : [],
    changedOperations:
      version && partial ? await changedOperations(context, partial, version.publishedAt) : [],
  };
}

/** The scopes that the operations of a workflow want, beside those that its credentials have. */
function scopesView(
  { apis, credentials, tokens }: Context,
  workflow: Pick<Workflow, "steps" | "triggers">,
): WorkflowDetail["scopes"] {
  return operationCalls(workflow).flatMap(({ step, line, api, id, using }) => {
    const open = apis.get(api)?.api;
    const wanted = operationById(open?.operations ?? [], id)?.scopes ?? [];
    // Of several credentials it is the token that has scopes.
    const names = using ?? (open?.credential === undefined ? [] : [open.credential]);
    const name = names.find((one) => credentials.get(one)?.credential.kind === "oauth2");
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
async function changedOperations(
  { apis }: Context,
  workflow: Pick<Workflow, "steps" | "triggers">,
  publishedAt: number,
): Promise<WorkflowDetail["changedOperations"]> {
  const calls = operationCalls(workflow);
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
