import { ItemReader, LineFault } from "../../../http/lines.js";
import type { Json } from "../../../values/json.js";
import type { ReadyCall } from "../../../workflows/steps.js";
import { StepFailed } from "../../signals.js";
import type { Frame } from "../../frame.js";
import type { Walk } from "../../walk.js";

/** Watches a list of events or lines as it comes, until `stop-when` is true of one of them, or as many came as are read. */
export class StopWhen {
  readonly #reader: ItemReader;
  /** Why it could not be judged. */
  fault: string | undefined;

  constructor(
    readonly walk: Walk,
    readonly step: ReadyCall,
    readonly frame: Frame,
  ) {
    this.#reader = new ItemReader(step.read === "events" ? "events" : "json-lines");
  }

  /** Takes in a piece of the body; true if no more of it is wanted. */
  readonly enough = (piece: Uint8Array): boolean => {
    try {
      return this.#reader.feed(piece).some((event) => this.#holds(event)) || this.#reader.isFull;
    } catch (error) {
      if (!(error instanceof StepFailed || error instanceof LineFault)) throw error;
      this.fault = `Its list cannot be judged by "stop-when": ${error.message}.`.replace(/\.\.$/, ".");
      return true;
    }
  };

  #holds(event: Json): boolean {
    const { walk, step, frame } = this;
    const path = frame.prefix + step.name;
    const at = walk.ports.clock.now();
    return (
      step.stopWhen !== undefined &&
      walk.read.condition(step.stopWhen, "stop-when", path, frame, at, { event })
    );
  }
}
