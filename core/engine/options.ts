import type { FailureKind } from "../http/message.js";
import type { Json, JsonObject } from "../values/json.js";

/** A fault that is put on a step's calls for one run: in place of sending them, or of their responses. */
export interface PlannedFault {
  step: string;
  /** How many attempts get it; then calls are sent as usual. */
  times: number;
  /** The response that is made up. */
  status?: number;
  headers?: Record<string, string>;
  body?: Json;
  /** Or how the connection fails; `cut` and `timeout` send the request first. */
  failure?: FailureKind;
}

/**
 * A step before which a run stops for a look: by its name or path (`huts[3]/post`), or by its name for one item of the loop
 * around it, or where an expression over the values at that place is true.
 */
export type Breakpoint = string | { step: string; item?: number; when?: string };

/** How one run differs from a plain one. Kept in its first entry, so that it holds for the whole run. */
export interface RunOptions {
  /** Reading calls are sent; all others are not sent, shown, and answered from responses. */
  rehearsal?: boolean;
  /** In a rehearsal: what calls answered in earlier runs, by step, where their document has no sample. */
  responses?: JsonObject;
  /** Outcomes that stand for steps, by name: these are not run. */
  fixed?: JsonObject;
  /** Only this step runs; in a loop, for one item. Steps that hold it are entered, all others take what is fixed. */
  only?: { step: string; item?: number };
  /** The run ends after this step. */
  to?: string;
  breakpoints?: Breakpoint[];
  faults?: PlannedFault[];
  /** The run whose outcomes are reused up to a step, or but for the failed items of a loop. */
  from?: { run: string; step: string; items?: "failed" };
}
