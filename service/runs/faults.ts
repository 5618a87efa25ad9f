import { bounds, type Clock } from "@copper-kettle/core";
import type { Logger } from "pino";
import { storageFault } from "../store/faults.js";
import type { JournalStore } from "../store/journal.js";
import { hold } from "../upkeep/restored.js";

/** Why runs cannot go on. */
export interface Trouble {
  /** Milliseconds since 1970. */
  at: number;
  message: string;
  /** Whether it stays when a run goes on: a database that is damaged in one place. */
  lasts?: boolean;
}

/** What becomes of runs that could not go on: the storage may come back, a fault of a run's own does not. */
export class RunFaults {
  /** Why runs could not go on lately; undefined while they can. */
  trouble: Trouble | undefined;
  /** How often each run failed to go on since it last did. */
  readonly #counts = new Map<string, number>();

  constructor(readonly parts: { journals: JournalStore; clock: Clock; log: Logger }) {}

  /** A run went on, to its end or to rest. */
  wentOn(run: string): void {
    if (!this.trouble?.lasts) this.trouble = undefined;
    this.#counts.delete(run);
  }

  /** Whether a run that could not go on is parked from now on; false if it is to be tried again. */
  async holds({ run, workflow }: { run: string; workflow: string }, error: unknown): Promise<boolean> {
    const { journals, clock, log } = this.parts;
    const { message } = error as Error;
    if (storageFault(error) !== undefined) {
      if (!this.trouble?.lasts) this.trouble = { at: clock.now(), message };
    } else if (this.#count(run) >= bounds.runFaults) {
      log.error({ run, workflow, err: error }, "run could not go on, and is held");
      const reason = `It could not continue, ${bounds.runFaults} times: ${message}. Correct the cause, then resume the run.`;
      try {
        await hold(journals, { id: run, workflow }, clock.now(), reason);
        this.#counts.delete(run);
        return true;
      } catch (fault) {
        log.error({ run, err: fault }, "run could not be held");
      }
    }
    log.error({ run, workflow, err: error }, "run could not go on; it will be tried again");
    return false;
  }

  #count(run: string): number {
    const count = (this.#counts.get(run) ?? 0) + 1;
    this.#counts.set(run, count);
    return count;
  }
}
