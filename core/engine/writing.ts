import { printJson, setOwn, type Json } from "../values/json.js";
import { maskPlaces } from "../values/masking.js";
import type { Path } from "../values/paths.js";
import type { Step } from "../workflows/steps.js";
import type { Entry, RunError } from "./entries.js";
import type { Frame } from "./frame.js";
import type { JournalRow, Ports, RowChange } from "./ports.js";
import type { RememberedReads } from "./remembered-reads.js";
import type { RunLog, StepLog } from "./replayed.js";
import type { RunSecrets } from "./run-secrets.js";
import { StepFailed } from "./signals.js";

/** How many rows may wait for their commit before a run waits for them. */
const mostUncommitted = 64;

/** What a step may write: entries of the journal, outcomes, variables, and secrets that came up. */
export class Writing {
  /** Whether the starter was given its response. */
  responded = false;
  #noted: JournalRow[] = [];
  #lastWrite: Promise<void> = Promise.resolve();
  #uncommitted = 0;
  #seenWriteFailure: unknown;

  constructor(
    readonly log: RunLog,
    readonly ports: Pick<Ports, "clock" | "journal" | "remembered">,
    readonly secrets: RunSecrets,
    readonly reads: RememberedReads,
  ) {}

  /** Notes an entry for the next write, with what changes in the same commit. */
  note(entry: Entry, change?: RowChange): void {
    this.reads.takeInto(entry);
    this.log.take(entry);
    this.#noted.push({ ...this.#row(entry), ...(change ? { change } : {}) });
    if (change?.remembered) this.ports.remembered.change(change.remembered);
  }

  /** Hands the noted entries to the journal without waiting for their commit. */
  async flush(): Promise<void> {
    this.#hand();
    if (this.#uncommitted > mostUncommitted) await this.commit();
  }

  /** Resolves when everything that was noted so far is durable. */
  async commit(): Promise<void> {
    this.#hand();
    await this.#lastWrite;
  }

  /** Takes an outcome into scope. */
  settle(frame: Frame, step: Step, outcome: Json): void {
    setOwn(frame.steps, step.name, outcome);
  }

  /** Notes the end of a step that failed, and throws. */
  fail(frame: Frame, step: Step, log: StepLog, error: RunError, change?: RowChange): never {
    const path = frame.prefix + step.name;
    const at = this.ports.clock.now();
    if (!log.ended)
      this.note({ type: "ended", path, kind: step.kind, at, error: { step: path, ...error } }, change);
    throw new StepFailed({ step: path, ...error });
  }

  /** Takes in secrets that came up: they are masked from here on, in this run, for ever. */
  secret(values: readonly string[], places: readonly Path[]): void {
    const fresh = this.secrets.fresh(values, places);
    if (fresh.values.length === 0 && fresh.places.length === 0) return;
    this.secrets.take(fresh.values, fresh.places);
    this.note({ type: "secrets", at: this.ports.clock.now(), ...fresh });
  }

  #hand(): void {
    if (this.#seenWriteFailure) throw this.#seenWriteFailure;
    if (this.#noted.length === 0) return;
    const rows = this.#noted;
    this.#noted = [];
    this.#uncommitted += rows.length;
    const write = this.ports.journal.write(rows).then(() => {
      this.#uncommitted -= rows.length;
    });
    write.catch((error: unknown) => (this.#seenWriteFailure = error));
    this.#lastWrite = write;
  }

  #row(entry: Entry): JournalRow {
    const json = printJson(entry);
    const places = entry.masked ?? [];
    const { masks } = this.secrets;
    if (places.length === 0 && !masks.found(json)) return { entry, open: json, sealed: undefined };
    const masked = masks.json(maskPlaces(entry as unknown as Json, places));
    return { entry, open: printJson(masked), sealed: json };
  }
}
