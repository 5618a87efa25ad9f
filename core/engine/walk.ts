import type { JsonObject } from "../values/json.js";
import type { Step, Workflow } from "../workflows/steps.js";
import type { Frame, RunFacts } from "./frame.js";
import type { RunOptions } from "./options.js";
import { Plan } from "./plan.js";
import type { Ports } from "./ports.js";
import { Progress, type Signals } from "./progress.js";
import { Reading } from "./reading.js";
import { RememberedReads } from "./remembered-reads.js";
import type { RunLog, StepLog } from "./replayed.js";
import { RunSecrets } from "./run-secrets.js";
import { Halted } from "./signals.js";
import { Writing } from "./writing.js";

/** Walks one step: takes what the journal holds of it, and does what is left. */
export type WalkStep = (walk: Walk, step: Step, frame: Frame, log: StepLog) => Promise<void>;

/**
 * One pass over a run: takes what the journal holds, and acts from where it ends. A step gets this, and has from it
 * what it may read (`read`), what it may write (`write`), and when it may go on (`progress`).
 */
export class Walk {
  readonly secrets = new RunSecrets();
  readonly read: Reading;
  readonly write: Writing;
  readonly progress: Progress;
  readonly options: RunOptions;
  /** How it differs from a plain run; undefined if it does not. */
  readonly plan: Plan | undefined;
  readonly #walkStep: WalkStep;

  constructor(
    readonly workflow: Workflow,
    readonly facts: RunFacts,
    readonly ports: Ports,
    readonly log: RunLog,
    signals: Signals,
    walkStep: WalkStep,
  ) {
    this.#walkStep = walkStep;
    const started = log.started as NonNullable<RunLog["started"]>;
    this.options = started.options ?? {};
    const { fixed, only, to, breakpoints } = this.options;
    this.plan = fixed || only || to || breakpoints ? new Plan(workflow, this.options) : undefined;
    const run = {
      id: facts.id,
      version: facts.version,
      workflow: workflow.name,
      startedAt: new Date(started.at).toISOString(),
      rehearsal: this.rehearsal,
    };
    const { inputs, trigger } = started;
    const reads = new RememberedReads();
    this.write = new Writing(log, ports, this.secrets, reads);
    this.read = new Reading(
      facts,
      { inputs, trigger: trigger as unknown as JsonObject, run },
      ports,
      reads,
      this.write,
    );
    this.progress = new Progress(log.stopping !== undefined, signals, ports.clock, this.write);
    for (const entry of log.secrets) this.secrets.take(entry.values, entry.places);
  }

  /** Whether only calls that read are sent. */
  get rehearsal(): boolean {
    return this.options.rehearsal === true;
  }

  /** Walks a list of steps in order. */
  async steps(steps: readonly Step[], frame: Frame): Promise<void> {
    for (const step of steps) {
      if (frame.halted()) throw new Halted();
      await this.#walkStep(this, step, frame, frame.log.step(step.name));
    }
  }
}
