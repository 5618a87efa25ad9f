import { Asleep, Halted, StepFailed, Unsure } from "./signals.js";
import type { Frame } from "./frame.js";
import { longestWaitInMemory, type Progress } from "./progress.js";

/** How many units of one crowd may sleep while others take their place. */
const mostAsleep = 1_000;

/** Units of work of one step: the items of a loop, or branches. */
export interface Units {
  path: string;
  count: number;
  /** How many at once; 1 is in order, where each waits for the one before. */
  parallel: number;
  /** Takes one unit as far as it goes. Called again where it slept. */
  run(index: number): Promise<void>;
}

/** Works on units side by side: one that sleeps gives its place away, and one that fails ends what is beside it. */
export class Crowd {
  #next = 0;
  #active = 0;
  #halt = false;
  #failure: StepFailed | undefined;
  #unsure: Unsure | undefined;
  #fatal: unknown;
  readonly #asleep: { index: number; signal: Asleep }[] = [];

  constructor(
    readonly progress: Progress,
    readonly frame: Frame,
    readonly units: Units,
  ) {}

  /**
   * Resolves when every unit has come to its end.
   * @throws StepFailed where one failed; Asleep, Unsure and whatever else ends a walk
   */
  async work(): Promise<void> {
    const workers = Math.min(this.units.parallel, this.units.count);
    await Promise.all(Array.from({ length: workers }, () => this.#worker()));
    if (this.#fatal) throw this.#fatal;
    const earliest = this.#earliest();
    if (earliest && !this.#failure) {
      const { until, path } = earliest.signal;
      throw new Asleep(
        until,
        path,
        this.#asleep.flatMap(({ signal }) => signal.waits),
      );
    }
    if (this.#unsure) throw this.#unsure;
    if (this.#failure) throw this.#failure;
    if (this.frame.halted()) throw new Halted();
  }

  /** Whether units under way should end at their next step. */
  readonly halted = (): boolean => this.#halt || this.frame.halted();

  async #worker(): Promise<void> {
    for (;;) {
      const index = this.#take();
      if (index === undefined) {
        const earliest = this.#earliest();
        if (!earliest || this.halted()) return;
        const left = earliest.signal.until - this.progress.clock.now();
        if (this.#active === 0 && left > longestWaitInMemory) return;
        await this.#rest(Math.min(Math.max(left, 1), 1_000));
        continue;
      }
      this.#active++;
      try {
        await this.units.run(index);
      } catch (error) {
        this.#ended(index, error);
      } finally {
        this.#active--;
      }
    }
  }

  /** The next unit to work on: one whose sleep is over comes before a new one. */
  #take(): number | undefined {
    if (this.halted()) return undefined;
    const now = this.progress.clock.now();
    const due = this.#asleep.findIndex(({ signal }) => signal.until <= now);
    if (due >= 0) return this.#asleep.splice(due, 1)[0]?.index;
    if (this.#asleep.length >= mostAsleep || this.#next >= this.units.count) return undefined;
    return this.#next++;
  }

  #ended(index: number, error: unknown): void {
    if (error instanceof Halted) return;
    const inOrder = this.units.parallel === 1;
    if (error instanceof Asleep) {
      this.#asleep.push({ index, signal: error });
      if (inOrder) this.#halt = true;
    } else if (error instanceof Unsure) {
      this.#unsure ??= error;
      if (inOrder) this.#halt = true;
    } else {
      this.#halt = true;
      if (error instanceof StepFailed) this.#failure ??= error;
      else this.#fatal ??= error;
    }
  }

  #earliest(): { index: number; signal: Asleep } | undefined {
    return this.#asleep.reduce<{ index: number; signal: Asleep } | undefined>(
      (best, item) => (!best || item.signal.until < best.signal.until ? item : best),
      undefined,
    );
  }

  async #rest(millis: number): Promise<void> {
    try {
      await this.progress.clock.wait(millis, this.progress.signals.rouse);
    } catch {
      this.#halt = true;
      try {
        this.progress.check(this.frame, this.units.path);
      } catch (signal) {
        this.#fatal ??= signal;
      }
    }
  }
}
