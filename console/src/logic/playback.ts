import { printForPeople } from "@copper-kettle/core";
import type { Row, RowState } from "./waterfall.js";

/** What a step shows at one moment of a run. */
export interface AtMoment {
  state: RowState;
  words: string;
}

/** A run has no more moments than this; of one with more, each stands for several. */
export const mostMoments = 400;

/** A run as it went, to be looked at moment by moment. */
export class Playback {
  /** The times at which something began or ended, in milliseconds since 1970, in order. */
  readonly moments: readonly number[];
  readonly #byName = new Map<string, Row[]>();

  constructor(rows: Iterable<Row>) {
    const times = new Set<number>();
    for (const row of rows) {
      const same = this.#byName.get(row.name);
      if (same) same.push(row);
      else this.#byName.set(row.name, [row]);
      times.add(row.from);
      if (row.to !== undefined) times.add(row.to);
      for (const { from } of row.segments) times.add(from);
    }
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
    const begun = (this.#byName.get(name) ?? []).filter(({ from }) => from <= time);
    if (begun.length === 0) return undefined;
    const over = begun.filter(({ to }) => to !== undefined && to <= time);
    const failed = over.filter(({ state }) => state === "failed").length;
    const busy = begun.length - over.length;
    const [only] = begun as [Row];
    if (begun.length === 1)
      return busy === 0
        ? { state: only.state, words: only.state }
        : { state: "running", words: goingOn(only, time) };
    const counts = [
      `${over.length} done`,
      ...(failed > 0 ? [`${failed} failed`] : []),
      ...(busy > 0 ? [`${busy} under way`] : []),
    ];
    return {
      state: busy > 0 ? "running" : failed > 0 ? "failed" : "succeeded",
      words: counts.join(", "),
    };
  }
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
