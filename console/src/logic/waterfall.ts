import type { Entry, EntryOf } from "@copper-kettle/core";
import type { OutlineStep } from "@copper-kettle/contract";

export type RowState = "running" | "succeeded" | "failed" | "unsure" | "skipped" | "waiting";

/** One bar of a row: what went on from one time to another, in milliseconds since 1970. */
export interface Segment {
  kind: "sending" | "pretended" | "backing-off" | "wait" | "rate-limit" | "inside";
  from: number;
  /** Undefined while it goes on. */
  to: number | undefined;
  attempt?: number;
  status?: number;
  label: string;
}

export interface Row {
  path: string;
  name: string;
  kind: string;
  title: string | null;
  line: number | null;
  depth: number;
  state: RowState;
  from: number;
  to: number | undefined;
  segments: Segment[];
  begun: EntryOf<"begun"> | undefined;
  attempts: EntryOf<"attempt">[];
  ended: EntryOf<"ended"> | undefined;
  unsure: EntryOf<"unsure"> | undefined;
  /** What people decided about it, in order. */
  decided: EntryOf<"decided">[];
  /** When it was sent again since nobody knew what had become of it: the service had stopped meanwhile. */
  resent: number[];
  /** Of a loop: the state of each item, by index. */
  items: Map<number, RowState>;
  length: number | undefined;
}

/** A time in which the service did not run, in milliseconds since 1970. */
export interface Stopped {
  from: number;
  to: number;
  /** How many calls were sent again behind it. */
  resent: number;
}

/** What happened in a run, as rows on a time axis: the run's own steps, and those of each loop item. */
export class Waterfall {
  readonly rows = new Map<string, Row>();
  from = 0;
  to = 0;
  over = false;
  readonly #steps: Map<string, OutlineStep>;
  readonly #ats: number[] = [];

  constructor(steps: readonly OutlineStep[]) {
    this.#steps = new Map(steps.map((step) => [step.name, step]));
  }

  /** Takes in entries of the journal, in order. */
  take(entries: readonly Entry[]): void {
    for (const entry of entries) {
      if (this.from === 0) this.from = entry.at;
      this.to = Math.max(this.to, entry.at);
      this.#ats.push(entry.at);
      this.#take(entry);
    }
  }

  /**
   * The stops of the service, each from the last thing that this run did before it, with how many calls were sent again
   * behind it.
   */
  stopsOf(stops: readonly { from: string; to: string }[]): Stopped[] {
    const resent = [...this.rows.values()].flatMap((row) => row.resent);
    return stops.map((stop, index) => {
      const to = Date.parse(stop.to);
      const next = Date.parse(stops[index + 1]?.to ?? "");
      return {
        from: Math.max(Date.parse(stop.from), this.#ats.findLast((at) => at < to) ?? 0),
        to,
        resent: resent.filter((at) => at >= to && !(at >= next)).length,
      };
    });
  }

  /** The rows of the run's own steps, or those inside one item of a loop, in the order in which they began. */
  inside(prefix: string): Row[] {
    return [...this.rows.values()].filter(
      // What stands inside a step that is not a loop (a catch, a branch, the calls of an ensure) is shown beside it.
      (row) =>
        row.path.startsWith(prefix) &&
        !row.path
          .slice(prefix.length)
          .replace(/[^/\]]+\//g, "")
          .includes("/"),
    );
  }

  /** Rows that have not ended, and those of them that stood still when the run came to rest. */
  readonly #open = new Set<Row>();
  readonly #resting = new Set<Row>();
  /** Nothing runs while the whole run waits, for a time, an event or a person. */
  #rest(): void {
    for (const row of this.#open) {
      if (row.state !== "running") continue;
      row.state = "waiting";
      this.#resting.add(row);
      this.#markItem(row);
    }
  }
  #resume(): void {
    for (const row of this.#resting) {
      if (row.state !== "waiting") continue;
      row.state = "running";
      this.#markItem(row);
    }
    this.#resting.clear();
  }

  #take(entry: Entry): void {
    const { type } = entry;
    if (this.#resting.size > 0 && !["rested", "decided", "stopping", "finished"].includes(type))
      this.#resume();
    switch (entry.type) {
      case "begun": {
        const row = this.#row(entry.path, entry.kind, entry.at);
        row.begun = entry;
        if (entry.kind === "wait")
          row.segments.push({ kind: "wait", from: entry.at, to: undefined, label: "waits" });
        if (entry.kind === "each") row.length = entry.data["length"] as number;
        row.state = entry.kind === "wait" ? "waiting" : "running";
        return this.#markItem(row);
      }
      case "sending": {
        const row = this.#row(entry.path, "request", entry.at);
        const before = row.segments.at(-1);
        if (before?.kind === "sending" && before.to === undefined) row.resent.push(entry.at);
        closeLast(row, entry.at);
        row.segments.push({
          kind: "sending",
          from: entry.at,
          to: undefined,
          attempt: entry.attempt,
          label: `attempt ${entry.attempt}`,
        });
        row.state = "running";
        return;
      }
      case "attempt":
        return this.#attempt(entry);
      case "unsure": {
        const row = this.#row(entry.path, "request", entry.at);
        closeLast(row, entry.at);
        row.unsure = entry;
        row.state = "unsure";
        return this.#markItem(row);
      }
      case "decided":
        this.rows.get(entry.path)?.decided.push(entry);
        break;
      case "ended": {
        const row = this.#row(entry.path, entry.kind, entry.at);
        closeLast(row, entry.at);
        this.#open.delete(row);
        row.ended = entry;
        row.to = entry.at;
        row.state = entry.error ? "failed" : entry.skipped !== undefined ? "skipped" : "succeeded";
        return this.#markItem(row);
      }
      case "item": {
        const match = /^(.*)\[(\d+)\]$/.exec(entry.path);
        if (match)
          this.rows
            .get(match[1] as string)
            ?.items.set(Number(match[2]), entry.error ? "failed" : "succeeded");
        return;
      }
      case "rested": {
        for (const wait of entry.waits ?? []) {
          const row = this.#row(wait.path, "request", entry.at);
          closeLast(row, entry.at);
          const kind = wait.kind === "rate-limit" ? "rate-limit" : "wait";
          row.segments.push({ kind, from: entry.at, to: undefined, label: wait.reason });
          row.state = "waiting";
        }
        return this.#rest();
      }
      case "limited": {
        const row = this.#row(entry.path, "request", entry.at);
        closeLast(row, entry.at);
        row.segments.push({
          kind: "rate-limit",
          from: entry.at,
          to: undefined,
          label: "waits for the rate limit",
        });
        return;
      }
      case "finished":
        this.over = true;
        return;
    }
  }

  #attempt(entry: EntryOf<"attempt">): void {
    const row = this.#row(entry.path, "request", entry.sentAt);
    const last = row.segments.at(-1);
    if (last?.kind === "sending" && last.attempt === entry.attempt) row.segments.pop();
    else closeLast(row, entry.sentAt);
    const status = entry.response?.status;
    const label = entry.pretended
      ? `not sent: ${entry.pretended === "fault" ? "a simulated fault" : "a rehearsal"}`
      : entry.failure
        ? `attempt ${entry.attempt}: ${entry.failure.kind}`
        : `attempt ${entry.attempt}: ${status}`;
    row.segments.push({
      kind: entry.pretended ? "pretended" : "sending",
      from: entry.sentAt,
      to: entry.at,
      attempt: entry.attempt,
      label,
      ...(status === undefined ? {} : { status }),
    });
    if (entry.wait !== undefined && !entry.renewed) {
      row.segments.push({
        kind: "backing-off",
        from: entry.at,
        to: undefined,
        label: entry.asked ? "waits as the response asked" : "backs off",
      });
      row.state = "waiting";
    }
    row.attempts.push(entry);
    this.#markItem(row);
  }

  #row(path: string, kind: string, at: number): Row {
    const known = this.rows.get(path);
    if (known) return known;
    const name = path.slice(path.lastIndexOf("/") + 1);
    const step = this.#steps.get(name);
    const loopDepth = path.split("/").length - 1;
    const row: Row = {
      path,
      name,
      kind,
      title: step?.title ?? null,
      line: step?.line ?? null,
      depth: Math.max(step?.depth ?? 0, loopDepth),
      state: "running",
      from: at,
      to: undefined,
      segments: [],
      begun: undefined,
      attempts: [],
      ended: undefined,
      unsure: undefined,
      decided: [],
      resent: [],
      items: new Map(),
      length: undefined,
    };
    this.rows.set(path, row);
    this.#open.add(row);
    return row;
  }

  /** An item of a loop shows the state of what it last did. */
  #markItem(row: Row): void {
    const match = /^(.*)\[(\d+)\]\/[^/]*$/.exec(row.path);
    const loop = match ? this.rows.get(match[1] as string) : undefined;
    if (loop && row.state !== "succeeded" && row.state !== "skipped")
      loop.items.set(Number(match?.[2]), row.state);
  }
}

function closeLast(row: Row, at: number): void {
  const last = row.segments.at(-1);
  if (last && last.to === undefined) last.to = at;
}
