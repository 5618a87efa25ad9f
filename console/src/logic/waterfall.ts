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
  segments: readonly Segment[];
  begun: EntryOf<"begun"> | undefined;
  attempts: readonly EntryOf<"attempt">[];
  ended: EntryOf<"ended"> | undefined;
  unsure: EntryOf<"unsure"> | undefined;
  /** What people decided about it, in order. */
  decided: readonly EntryOf<"decided">[];
  /** When it was sent again since nobody knew what had become of it: the service had stopped meanwhile. */
  resent: readonly number[];
  /** Of a loop: the state of each item, by index. */
  items: ReadonlyMap<number, RowState>;
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
    // What stands inside a step that is not a loop (a catch, a branch, the calls of an ensure) is shown beside it.
    return [...this.rows.values()].filter(
      ({ path }) => path.lastIndexOf("]/") + 2 === Math.max(1, prefix.length) && path.startsWith(prefix),
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
        if (entry.kind === "wait") draw(row, { kind: "wait", from: entry.at, to: undefined, label: "waits" });
        if (entry.kind === "each") row.length = entry.data["length"] as number;
        row.state = entry.kind === "wait" ? "waiting" : "running";
        return this.#markItem(row);
      }
      case "sending": {
        const row = this.#row(entry.path, "request", entry.at);
        const before = row.segments.at(-1);
        if (before?.kind === "sending" && before.to === undefined) row.resent = added(row.resent, entry.at);
        closeLast(row, entry.at);
        draw(row, {
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
      case "decided": {
        const row = this.rows.get(entry.path);
        if (row) row.decided = added(row.decided, entry);
        return;
      }
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
        const item = itemOf(entry.path);
        const loop = item && this.rows.get(item.loop);
        if (loop) mark(loop, item.index, entry.error ? "failed" : "succeeded");
        return;
      }
      case "rested": {
        for (const wait of entry.waits ?? []) {
          const row = this.#row(wait.path, "request", entry.at);
          closeLast(row, entry.at);
          const kind = wait.kind === "rate-limit" ? "rate-limit" : "wait";
          draw(row, { kind, from: entry.at, to: undefined, label: wait.reason });
          row.state = "waiting";
        }
        return this.#rest();
      }
      case "limited": {
        const row = this.#row(entry.path, "request", entry.at);
        closeLast(row, entry.at);
        draw(row, {
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
    if (last?.kind === "sending" && last.attempt === entry.attempt) row.segments = row.segments.slice(0, -1);
    else closeLast(row, entry.sentAt);
    const status = entry.response?.status;
    const label = entry.pretended
      ? `not sent: ${entry.pretended === "fault" ? "a simulated fault" : "a rehearsal"}`
      : entry.failure
        ? `attempt ${entry.attempt}: ${entry.failure.kind}`
        : `attempt ${entry.attempt}: ${status}`;
    draw(row, {
      kind: entry.pretended ? "pretended" : "sending",
      from: entry.sentAt,
      to: entry.at,
      attempt: entry.attempt,
      label,
      ...(status === undefined ? {} : { status }),
    });
    if (entry.wait !== undefined && !entry.renewed) {
      draw(row, {
        kind: "backing-off",
        from: entry.at,
        to: undefined,
        label: entry.asked ? "waits as the response asked" : "backs off",
      });
      row.state = "waiting";
    }
    row.attempts = added(row.attempts, entry);
    this.#markItem(row);
  }

  #row(path: string, kind: string, at: number): Row {
    const known = this.rows.get(path);
    if (known) return known;
    const name = path.slice(path.lastIndexOf("/") + 1);
    const step = this.#steps.get(name);
    const row: Row = {
      path,
      name,
      kind,
      title: step?.title ?? null,
      line: step?.line ?? null,
      depth: Math.max(step?.depth ?? 0, count(path, "/")),
      state: "running",
      from: at,
      to: undefined,
      segments: none,
      begun: undefined,
      attempts: none,
      ended: undefined,
      unsure: undefined,
      decided: none,
      resent: none,
      items: noItems,
      length: undefined,
    };
    this.rows.set(path, row);
    this.#open.add(row);
    return row;
  }

  /** An item of a loop shows the state of what it last did. */
  #markItem(row: Row): void {
    if (row.state === "succeeded" || row.state === "skipped") return;
    const item = itemOf(row.path.slice(0, row.path.lastIndexOf("/")));
    const loop = item && this.rows.get(item.loop);
    if (loop) mark(loop, item.index, row.state);
  }
}

// A run has thousands of rows, most of which have nothing of these.
const none: readonly never[] = [];
const noItems: ReadonlyMap<number, RowState> = new Map();
/** A list with one more: the same one, but for the one that all rows begin with. */
function added<T>(list: readonly T[], item: T): readonly T[] {
  if (list === none) return [item];
  (list as T[]).push(item);
  return list;
}
function draw(row: Row, segment: Segment): void {
  row.segments = added(row.segments, segment);
}
function mark(loop: Row, index: number, state: RowState): void {
  if (loop.items === noItems) loop.items = new Map();
  (loop.items as Map<number, RowState>).set(index, state);
}

/** The loop and the number of an item, by its path: `round[3]`. */
function itemOf(path: string): { loop: string; index: number } | undefined {
  if (!path.endsWith("]")) return undefined;
  const bracket = path.lastIndexOf("[");
  return { loop: path.slice(0, bracket), index: Number(path.slice(bracket + 1, -1)) };
}

function count(text: string, part: string): number {
  let found = 0;
  for (let at = text.indexOf(part); at >= 0; at = text.indexOf(part, at + 1)) found++;
  return found;
}

function closeLast(row: Row, at: number): void {
  const last = row.segments.at(-1);
  if (last && last.to === undefined) last.to = at;
}
