import type { Wait } from "./awaited.js";
import type { RunError } from "./entries.js";

/** A step failed in the end. */
export class StepFailed extends Error {
  constructor(readonly error: RunError) {
    super(error.message);
  }
}

/** The run goes to sleep in the store: until a time, or until something that one of its steps waits for has come. */
export class Asleep extends Error {
  constructor(
    /** Infinity if no time ends it. */
    readonly until: number,
    readonly path: string,
    readonly waits: readonly Wait[] = [],
  ) {
    super("asleep");
  }
}

/** The time of a step, or of the run, is over; whoever set it makes a failure of this. */
export class TimedOut extends Error {
  constructor(readonly deadline: { at: number }) {
    super("timed out");
  }
}

/** A call's fate is unknown and a person must decide: this branch goes no further. */
export class Unsure extends Error {
  constructor(readonly path: string) {
    super("unsure");
  }
}

/** The run ends here: by a `stop` step, or by hand. */
export class Stopped extends Error {
  constructor(
    readonly state: "succeeded" | "failed" | "stopped",
    readonly text: string | undefined,
    readonly path: string,
  ) {
    super("stopped");
  }
}

/** The service is going down: what was not begun is left for its next start. */
export class Paused extends Error {
  constructor() {
    super("paused");
  }
}

/** The journal does not fit the workflow: nothing is guessed. */
export class CannotReplay extends Error {}

/** This list of steps goes no further, since something beside it failed. */
export class Halted extends Error {
  constructor() {
    super("halted");
  }
}
