import type { Retention } from "@copper-kettle/contract";
import type { Logger } from "pino";
import type { Forgetting } from "../store/forgetting.js";
import type { SettingStore } from "../store/settings.js";

/** What holds where nobody said otherwise. */
export const usualRetention: Retention = { days: 90, runs: 10_000, workflows: {} };

const dayMillis = 86_400_000;
/** The activity is retained this long, in days. */
const activityDays = 400;

/** Forgets ended runs by age and number, in small bites, with the bodies that nothing else names. */
export class Pruner {
  #working: Promise<{ runs: number; files: number }> | undefined;
  #held = 0;
  /** When the bodies are looked through next. */
  #orphansAt = 0;

  constructor(
    readonly forgetting: Forgetting,
    readonly settings: SettingStore,
    readonly log: Logger,
    readonly now: () => number,
  ) {}

  rules(): Retention {
    return { ...usualRetention, ...(this.settings.get("retention") as Partial<Retention> | undefined) };
  }

  /** Forgets what the rules say; one at a time. */
  prune(): Promise<{ runs: number; files: number }> {
    this.#working ??= this.#prune().finally(() => (this.#working = undefined));
    return this.#working;
  }

  /** Lets nothing be forgotten while some work goes on, such as a backup. */
  async holding<T>(work: () => Promise<T>): Promise<T> {
    this.#held++;
    try {
      await this.#working;
      return await work();
    } finally {
      this.#held--;
    }
  }

  async #prune(): Promise<{ runs: number; files: number }> {
    const done = { runs: 0, files: 0 };
    const rules = this.rules();
    for (const workflow of await this.forgetting.workflows()) {
      const { days = rules.days, runs = rules.runs } = rules.workflows[workflow] ?? {};
      for (let more = true; more;) {
        if (this.#held > 0) return done;
        const gone = await this.forgetting.someRuns(workflow, { days, runs });
        done.runs += gone.runs;
        done.files += gone.files;
        more = gone.more;
      }
    }
    await this.forgetting.activityBefore(this.now() - activityDays * dayMillis);
    await this.forgetting.startKeys();
    if (this.#held === 0) await this.forgetting.texts();
    if (this.#held === 0) done.files += await this.forgetting.revisions();
    if (this.#held === 0 && this.now() >= this.#orphansAt) {
      this.#orphansAt = this.now() + dayMillis;
      await this.forgetting.filesWithoutOwner();
      done.files += await this.forgetting.orphans();
    }
    if (done.runs > 0) this.log.info(done, "old runs were forgotten");
    return done;
  }
}
