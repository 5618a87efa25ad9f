import type { ValueMap } from "../expressions/values.js";
import type { JsonObject } from "../values/json.js";
import type { ScopeLog } from "./replayed.js";

/** One list of steps that is being walked: the run's own, or a loop item's. */
export interface Frame {
  /** Stands before the name of a step in its path: `` or `huts[17]/`. */
  prefix: string;
  log: ScopeLog;
  /** The outcomes that can be seen from here. */
  steps: JsonObject;
  /** The loop's item and index. */
  locals: ValueMap;
  /** How many failures were caught or passed over, so that the run continues. */
  problems: { count: number };
  /** When the time of a step around these, or of the run, is over; in milliseconds since 1970. */
  deadline?: { at: number };
  /** Whether the walk of this frame should end at the next step, because an item beside it failed. */
  halted(): boolean;
}

/** What is fixed for a run at its start. */
export interface RunFacts {
  id: string;
  /** The run whose ids this run's are derived from: itself, unless it repeats an earlier one. */
  origin: string;
  version: number;
}
