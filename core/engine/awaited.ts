/**
 * What a run can wait for, besides a time: a person's sign-in, a lock that another run holds, the end of a run that it
 * called, its turn in a rate limit, a person at a breakpoint.
 */
export interface Awaited {
  kind: "credential" | "lock" | "run" | "rate-limit" | "breakpoint";
  /** The name of the credential, of the lock, of the API; the id of the run; the path of the step. */
  name: string;
}

/** A step that waits for something. */
export interface Wait extends Awaited {
  path: string;
  /** For people. */
  reason: string;
  /**
   * Of a credential: how often it had become usable when the step looked. The store compares: if it became usable since,
   * the run does not wait.
   */
  seen?: number;
}

/** So many waits of a run are stored; with more, the run also looks again by itself. */
export const mostWaits = 1_000;

/** How soon a run with more waits than are stored looks again, in milliseconds. */
export const lookAgainMillis = 60_000;
