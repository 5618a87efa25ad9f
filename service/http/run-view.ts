import type { Run, RunDetail } from "@copper-kettle/contract";
import {
  principalName,
  outline,
  parseJson,
  type Entry,
  type ReadWorkflow,
  type RunError,
} from "@copper-kettle/core";
import { isRehearsal } from "../runs/rehearsed.js";
import type { Runner } from "../runs/runner.js";
import type { Stop } from "../store/lives.js";
import type { RunRecord } from "../store/models.js";
import { iso, isoOrNull } from "../times.js";

/** A run as the API shows it. */
export function runView(row: RunRecord, active: boolean): Run {
  const state = active && (row.state === "queued" || row.state === "waiting") ? "running" : row.state;
  return {
    id: row.id,
    workflow: row.workflow,
    version: row.version,
    state: state as Run["state"],
    trigger: parseJson(row.trigger) as Run["trigger"],
    startedBy: row.startedBy ? principalName(row.startedBy) : null,
    createdAt: iso(row.createdAt),
    startedAt: isoOrNull(row.startedAt),
    endedAt: isoOrNull(row.endedAt),
    wakeAt: state === "waiting" ? isoOrNull(row.wakeAt) : null,
    waits: state === "waiting" ? (parseJson(row.waits ?? "[]") as unknown as Run["waits"]) : [],
    rehearsal: isRehearsal(row),
    origin: row.origin === row.id ? null : row.origin,
    calls: row.calls ?? 0,
    problems: row.problems ?? 0,
    error: row.error ? (parseJson(row.error) as unknown as RunError) : null,
    message: row.message ?? null,
    unsure: row.unsure ? (parseJson(row.unsure) as unknown as Run["unsure"]) : [],
  };
}

/** A run with its inputs, its response and the outline of what runs, from its open entries. */
export function runDetailView(
  run: Run,
  read: ReadWorkflow,
  entries: { seq: number; entry: Record<string, unknown> }[],
  response: RunDetail["response"],
  stops: readonly Stop[],
): RunDetail {
  const started = entries[0]?.entry as unknown as Extract<Entry, { type: "started" }> | undefined;
  return {
    ...run,
    inputs: started?.inputs ?? null,
    response,
    steps: read.partial ? outline(read.partial.steps) : [],
    last: entries.at(-1)?.seq ?? -1,
    stops: stops.map(({ from, to }) => ({ from: iso(from), to: iso(to) })),
  };
}

/** Why runs cannot go on, such as a disk that is full; null while they can. */
export function troubleView({ faults }: Runner): { at: string; message: string } | null {
  return faults.trouble ? { at: iso(faults.trouble.at), message: faults.trouble.message } : null;
}
