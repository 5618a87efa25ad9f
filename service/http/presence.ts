import { printPrincipal, principalName, type Principal } from "@copper-kettle/core";

/** Who else has a workflow open. */
export interface Other {
  /** The name of who it is. */
  who: string;
  /** Whether it is who asks, in another window. */
  isSelf: boolean;
}

/** So long after its last word a window counts as open, in milliseconds; windows give one each fifteen seconds. */
const staysFor = 40_000;
/** So many windows are known of one workflow, and of so many workflows; those that were heard of longest ago are forgotten. */
const most = { windows: 50, workflows: 1_000 };

/** Which workflows are open in whose windows. In memory: after a restart each window says it again. */
export class Presence {
  readonly #open = new Map<string, Map<string, { by: string; until: number }>>();

  constructor(readonly now: () => number = Date.now) {}

  /** A window shows a workflow; gives who else does. */
  here(workflow: string, window: string, by: Principal): Other[] {
    const now = this.now();
    const me = printPrincipal(by);
    const windows = this.#open.get(workflow) ?? new Map<string, { by: string; until: number }>();
    for (const [id, { until }] of windows) if (until <= now) windows.delete(id);
    // Behind all others: the first ones are those that were heard of longest ago.
    windows.delete(`${me} ${window}`);
    windows.set(`${me} ${window}`, { by: me, until: now + staysFor });
    keepLast(windows, most.windows);
    this.#open.delete(workflow);
    this.#open.set(workflow, windows);
    keepLast(this.#open, most.workflows);
    return [...windows]
      .filter(([id]) => id !== `${me} ${window}`)
      .map(([, other]) => ({ who: principalName(other.by), isSelf: other.by === me }));
  }

  /** A window does not show it any more. */
  gone(workflow: string, window: string, by: Principal): void {
    this.#open.get(workflow)?.delete(`${printPrincipal(by)} ${window}`);
  }
}

function keepLast(map: Map<string, unknown>, count: number): void {
  for (const key of map.keys()) {
    if (map.size <= count) return;
    map.delete(key);
  }
}
