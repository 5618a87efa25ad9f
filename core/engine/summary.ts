import type { Entry, EntryOf, RunError, RunState } from "./entries.js";

/** What a list of runs shows of one: a consequence of its entries, and of nothing else. */
export interface RunSummary {
  state: RunState;
  startedAt: number | null;
  endedAt: number | null;
  /** When to go on; with `waiting`. */
  wakeAt: number | null;
  /** What it waits for besides a time, with its kind: `credential:boards-marit`, `lock:…`, `run:…`, `breakpoint:…`, `rate-limit:…`. */
  waitsFor: string | null;
  /** How many requests were sent. */
  calls: number;
  problems: number;
  error: RunError | null;
  message: string | null;
  /** Steps whose call may or may not have been carried out, and which nobody has decided. */
  unsure: { path: string; reason: string; attempt: number }[];
}

export function emptySummary(): RunSummary {
  return {
    state: "queued",
    startedAt: null,
    endedAt: null,
    wakeAt: null,
    waitsFor: null,
    calls: 0,
    problems: 0,
    error: null,
    message: null,
    unsure: [],
  };
}

/** Takes one entry into a summary, in the order of the journal. */
export function summarise(summary: RunSummary, entry: Entry): void {
  switch (entry.type) {
    case "started":
    case "secrets":
    case "stopping":
      return;
    case "resumed":
      summary.state = "queued";
      return;
    case "rested":
      summary.state = entry.state;
      summary.wakeAt = entry.until ?? null;
      summary.waitsFor = waitsFor(entry);
      if (entry.reason) summary.message = entry.reason;
      return;
    case "decided":
      summary.state = "queued";
      summary.unsure = summary.unsure.filter((item) => item.path !== entry.path);
      return;
    case "finished":
      summary.state = entry.state;
      summary.endedAt = entry.at;
      summary.wakeAt = null;
      summary.waitsFor = null;
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
  if (summary.waitsFor) summary.message = null;
  summary.waitsFor = null;
}

function waitsFor({ credential, lock, child, breakpoint, rateLimit }: EntryOf<"rested">): string | null {
  const kinds = { credential, lock, run: child, breakpoint, "rate-limit": rateLimit };
  const found = Object.entries(kinds).find(([, name]) => name !== undefined);
  return found ? found.join(":") : null;
}
