import { printForPeople } from "@copper-kettle/core";
import type { Row, RowState } from "./waterfall.js";

/** What a step shows at one moment of a run. */
export interface AtMoment {
  state: RowState;
  words: string;
}

/** When the rows of a step began, ended, and failed, each in order; the row of one that has no other. */
interface Times {
  only: Row | undefined;
  from: number[];
  to: number[];
  failed: number[];
}

/** A run has no more moments than this; of one with more, each stands for several. */
export const mostMoments = 400;

/** A run as it went, to be looked at moment by moment. */
export class Playback {
  /** The times at which something began or ended, in milliseconds since 1970, in order. */
  readonly moments: readonly number[];
  readonly #byName = new Map<string, Times>();

  constructor(rows: Iterable<Row>) {
    const times = new Set<number>();
    for (const row of rows) {
      const { name, from, to, state } = row;
      const same = this.#byName.get(name) ?? { only: row, from: [], to: [], failed: [] };
      this.#byName.set(name, same);
      if (same.from.length > 0) same.only = undefined;
      same.from.push(from);
      if (to !== undefined) same.to.push(to);
      if (to !== undefined && state === "failed") same.failed.push(to);
      for (const time of [from, ...(to === undefined ? [] : [to]), ...row.segments.map((one) => one.from)])
        times.add(time);
    }
    for (const { from, to, failed } of this.#byName.values())
      for (const list of [from, to, failed]) list.sort((a, b) => a - b);
    const all = [...times].sort((a, b) => a - b);
    const each = Math.max(1, Math.ceil(all.length / mostMoments));
    this.moments = all.filter((_, index) => index % each === 0 || index === all.length - 1);
  }

  /** How long after its beginning a moment is, in words. */
  after(time: number): string {
    return printForPeople(time - (this.moments[0] ?? time));
  }

  /** What a step shows at a time; undefined while it has not begun. */
  at(name: string, time: number): AtMoment | undefined {
    const rows = this.#byName.get(name);
    if (!rows) return undefined;
    const begun = upTo(rows.from, time);
    if (begun === 0) return undefined;
    const over = upTo(rows.to, time);
    const { only } = rows;
    if (only)
      return over > 0
        ? { state: only.state, words: only.state }
        : { state: "running", words: goingOn(only, time) };
    const failed = upTo(rows.failed, time);
    const busy = begun - over;
    const counts = [
      `${over} done`,
      ...(failed > 0 ? [`${failed} failed`] : []),
      ...(busy > 0 ? [`${busy} under way`] : []),
    ];
    return {
      state: busy > 0 ? "running" : failed > 0 ? "failed" : "succeeded",
      words: counts.join(", "),
    };
  }
}

/** How many of some times, in order, are not after one: each step of the search halves them. */
function upTo(times: readonly number[], time: number): number {
  let [low, high] = [0, times.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((times[middle] as number) <= time) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** What goes on with a step at a time. */
function goingOn({ segments }: Row, time: number): string {
  const now = segments.findLast(({ from }) => from <= time);
  if (!now) return "under way";
  return now.kind === "sending"
    ? now.to !== undefined && now.to <= time
      ? "responded"
      : "is being sent"
    : now.label;
}
