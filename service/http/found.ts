import type { Run } from "@copper-kettle/contract";
import {
  jsonOrText,
  operationById,
  operationName,
  type Answered,
  type Entry,
  type JsonObject,
  type Operation,
} from "@copper-kettle/core";
import { withReused } from "../runs/again.js";
import type { OpenApi } from "../store/apis.js";
import type { RunRecord, WorkflowRecord } from "../store/models.js";
import type { Context } from "./context.js";
import { HttpProblem, notFound } from "./problems.js";
import { runView } from "./run-view.js";

/** What a route's path names. Each throws HttpProblem 404 if it is not there. */

export async function findRun({ journals }: Context, id: string): Promise<RunRecord> {
  const row = await journals.runs.find(id);
  if (!row) throw notFound("run", id);
  return row;
}

export async function findWorkflow({ workflows }: Context, name: string): Promise<WorkflowRecord> {
  const row = await workflows.find(name);
  if (!row) throw notFound("workflow", name);
  return row;
}

export function findApi({ apis }: Context, name: string): OpenApi {
  const open = apis.get(name);
  if (!open) throw notFound("API", name);
  return open;
}

export function findOperation(
  { apis }: Context,
  name: string,
  id: string,
): { open: OpenApi; operation: Operation } {
  const open = apis.get(name);
  const operation = operationById(open?.api.operations ?? [], id);
  if (!open || !operation) throw notFound("operation", `${name}.${id}`);
  return { open, operation };
}

/** A run as lists and responses show it. */
export function showRun({ runner }: Context, row: RunRecord): Run {
  const run = runView(row, runner.isActive(row.id));
  const first = run.state === "queued" ? runner.behind(run.id) : undefined;
  if (first === undefined) return run;
  const reason = `Waits for its turn: the run ${first} goes first.`;
  return { ...run, waits: [{ path: "", kind: "turn", name: first, reason }] };
}

/** So many pages of a thousand entries of a run are read at a time. */
const mostPages = 50;

/**
 * All entries of a run in their open form.
 * @throws HttpProblem 422 if there are more than can be read at a time
 */
export async function openEntries({ journals }: Context, run: string): Promise<Entry[]> {
  const entries: Entry[] = [];
  let after = -1;
  for (let pages = 0; pages < mostPages; pages++) {
    const page = await journals.open(run, after, 1_000);
    entries.push(...page.entries.map(({ entry }) => entry as unknown as Entry));
    after = page.entries.at(-1)?.seq ?? after;
    if (!page.more) return entries;
  }
  throw new HttpProblem(
    422,
    "run-too-long",
    "This run is too long for that",
    `The run ${run} has more than ${mostPages * 1_000} entries. Read its journal page by page instead.`,
  );
}

/** The same, with the entries that it reuses of the run that it repeats. */
export async function wholeEntries(context: Context, row: RunRecord): Promise<Entry[]> {
  const own = await openEntries(context, row.id);
  return withReused(context, row, own, (source) => wholeEntries(context, source));
}

/** A call of a run that was answered, with the operation that it called; secrets in it are masked. */
export async function callOf(
  context: Context,
  run: string,
  path: string,
): Promise<{ api: string; operation: Operation; call: Answered } | undefined> {
  await findRun(context, run);
  const own = (await openEntries(context, run)).filter((entry) => "path" in entry && entry.path === path);
  const begun = own.find((entry) => entry.type === "begun");
  const attempt = own.findLast((entry) => entry.type === "attempt");
  if (begun?.type !== "begun" || attempt?.type !== "attempt") return undefined;
  if (!attempt.response || attempt.pretended) return undefined;
  const name = operationName(String(begun.data["operation"] ?? ""));
  const api = name && context.apis.get(name.api)?.api;
  const operation = api && operationById(api.operations, name.id);
  if (!operation) return undefined;
  const { method, url, body } = begun.data["request"] as JsonObject;
  const { status, headers, body: came } = attempt.response;
  return {
    api: name.api,
    operation,
    call: {
      request: {
        method: String(method),
        url: String(url),
        body: typeof body === "string" ? jsonOrText(body) : null,
      },
      response: { status, headers: headers as JsonObject, body: came },
    },
  };
}
