import type { Drift, Run, RunDetail, WorkflowDetail, WorkflowSummary } from "@copper-kettle/contract";
import { outline, parseJson, type Entry, type ReadWorkflow, type RunError } from "@copper-kettle/core";
import { Op } from "sequelize";
import { isRehearsal } from "../runs/rehearsed.js";
import type { DriftStore } from "../store/drift.js";
import { RunRow, type RunRecord, type WorkflowRow } from "../store/models.js";

export function iso(millis: number): string {
  return new Date(millis).toISOString();
}

export const isoOrNull = (millis: number | null | undefined): string | null =>
  typeof millis === "number" ? iso(millis) : null;

/** A run as the API shows it. */
export function runView(row: RunRecord, active: boolean): Run {
  const state = active && (row.state === "queued" || row.state === "waiting") ? "running" : row.state;
  return {
    id: row.id,
    workflow: row.workflow,
    version: row.version,
    state: state as Run["state"],
    trigger: parseJson(row.trigger) as Run["trigger"],
    createdAt: iso(row.createdAt),
    startedAt: isoOrNull(row.startedAt),
    endedAt: isoOrNull(row.endedAt),
    wakeAt: state === "waiting" ? isoOrNull(row.wakeAt) : null,
    ...waits(state === "waiting" ? (row.waitsFor ?? null) : null),
    rehearsal: isRehearsal(row),
    origin: row.origin === row.id ? null : row.origin,
    calls: row.calls ?? 0,
    problems: row.problems ?? 0,
    error: row.error ? (parseJson(row.error) as unknown as RunError) : null,
    message: row.message ?? null,
    unsure: row.unsure ? (parseJson(row.unsure) as unknown as Run["unsure"]) : [],
  };
}

/** What a run waits for, by its kind. */
function waits(waitsFor: string | null): Pick<Run, "waitsFor" | "waitsOn"> {
  if (waitsFor === null) return { waitsFor: null, waitsOn: null };
  const [, kind = "", name = ""] = /^([a-z]+):([^]*)$/.exec(waitsFor) ?? [];
  const waitsOn = { kind: kind as NonNullable<Run["waitsOn"]>["kind"], name };
  return { waitsFor: kind === "credential" ? name : null, waitsOn };
}

/** A run with its inputs, its response and the outline of what runs, from its open entries. */
export function runDetailView(
  run: Run,
  read: ReadWorkflow,
  entries: { seq: number; entry: Record<string, unknown> }[],
  response: RunDetail["response"],
): RunDetail {
  const started = entries[0]?.entry as unknown as Extract<Entry, { type: "started" }> | undefined;
  return {
    ...run,
    inputs: started?.inputs ?? null,
    response,
    steps: read.partial ? outline(read.partial.steps) : [],
    last: entries.at(-1)?.seq ?? -1,
  };
}

/** Workflows as the API lists them, each with its last runs. */
export async function workflowSummaries(
  rows: WorkflowRow[],
  read: (row: WorkflowRow) => Promise<ReadWorkflow>,
  publishedText: (row: WorkflowRow) => Promise<string | null>,
): Promise<WorkflowSummary[]> {
  return Promise.all(
    rows.map(async (row) => {
      const { partial } = await read(row);
      const recent = await RunRow.findAll({
        where: { workflow: row.name, id: { [Op.ne]: "" } },
        order: [["id", "DESC"]],
        limit: 12,
      });
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

export function workflowDetailView(
  summary: WorkflowSummary,
  row: WorkflowRow,
  text: string,
  read: ReadWorkflow,
): Omit<WorkflowDetail, "scopes" | "changedOperations"> {
  return {
    ...summary,
    text,
    revision: row.revision,
    about: read.partial?.about ?? null,
    inputs: read.partial?.inputs ?? null,
    outline: read.partial ? outline(read.partial.steps) : [],
    problemList: read.problems,
  };
}

type SeenDrift = ReturnType<DriftStore["list"]>[number];

export function driftView({
  api,
  operation,
  status,
  path,
  what,
  detail,
  firstAt,
  lastAt,
  count,
  run,
}: SeenDrift): Drift {
  return {
    operation: `${api}.${operation}`,
    status,
    path,
    what,
    detail,
    firstAt: iso(firstAt),
    lastAt: iso(lastAt),
    count,
    run,
  };
}
