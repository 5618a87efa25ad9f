import type { Wait } from "./awaited.js";
import type { Entry, RunError, RunState } from "./entries.js";

/** What a list of runs shows of one: a consequence of its entries, and of nothing else. */
export interface RunSummary {
  state: RunState;
  startedAt: number | null;
  endedAt: number | null;
  /** When to go on; with `waiting`. */
  wakeAt: number | null;
  /** What its steps wait for besides a time. */
  waits: Wait[];
  /** How many requests were sent. */
  calls: number;
  problems: number;
  error: RunError | null;
  message: string | null;
  /** Steps whose call may or may not have been carried out, and which nobody has decided. */
  unsure: { path: string; reason: string; attempt: number }[];
  /** Whether somebody asked it to stop. */
  stopping: boolean;
}

export function emptySummary(): RunSummary {
  return {
    state: "queued",
    startedAt: null,
    endedAt: null,
    wakeAt: null,
    waits: [],
    calls: 0,
    problems: 0,
    error: null,
    message: null,
    unsure: [],
    stopping: false,
  };
}

/** Takes one entry into a summary, in the order of the journal. */
export function summarise(summary: RunSummary, entry: Entry): void {
  switch (entry.type) {
    case "started":
    case "secrets":
      return;
    case "stopping":
      summary.stopping = true;
      // One that rests acts once more, to end.
      if (summary.state !== "running") goesOn(summary);
      return;
    case "rested":
      summary.state = entry.state;
      summary.wakeAt = entry.until ?? null;
      summary.waits = entry.waits ?? [];
      if (entry.reason) summary.message = entry.reason;
      if (summary.stopping) goesOn(summary);
      return;
    case "decided":
      goesOn(summary);
      summary.unsure = summary.unsure.filter((item) => item.path !== entry.path);
      return;
    case "finished":
      summary.state = entry.state;
      summary.endedAt = entry.at;
      summary.wakeAt = null;
      summary.waits = [];
      summary.problems = entry.problems;
      summary.error = entry.error ?? null;
      summary.message = entry.message ?? null;
      return;
    case "unsure":
      summary.unsure = [
        ...summary.unsure.filter((item) => item.path !== entry.path),
        { path: entry.path, reason: entry.reason, attempt: entry.attempt },
      ];
      summary.calls++;
      break;
    case "attempt":
      // What a rehearsal not sent, or a fault stood for, was not sent.
      if (!entry.pretended) summary.calls++;
      break;
    case "ended":
      if (summary.unsure.length > 0)
        summary.unsure = summary.unsure.filter((item) => item.path !== entry.path);
      break;
  }
  summary.state = "running";
  summary.startedAt ??= entry.at;
  summary.wakeAt = null;
  // What it waited for has come; its reason is over.
  if (summary.waits.length > 0) summary.message = null;
  summary.waits = [];
}

function goesOn(summary: RunSummary): void {
  summary.state = "queued";
  summary.wakeAt = null;
  if (summary.waits.length > 0) summary.message = null;
  summary.waits = [];
}
