import type { Surroundings } from "../expressions/evaluation.js";
import type { Expression } from "../expressions/compile.js";
import { ExpressionError } from "../expressions/errors.js";
import { evaluateToJson } from "../expressions/templates.js";
import type { ValueMap } from "../expressions/values.js";
import { derivedFraction, derivedUuid } from "../values/digest.js";
import { isObject, leafTexts, own, printJson, setOwn, type Json, type JsonObject } from "../values/json.js";
import { leastLength, MaskSet, maskPlaces } from "../values/masking.js";
import { ofEveryItem, placesAt, valueAt, type Path } from "../values/paths.js";
import type { Step, Workflow } from "../workflows/steps.js";
import type { Entry, RunError } from "./entries.js";
import type { RunLog } from "./log.js";
import type { RunOptions } from "./options.js";
import { Plan, walkPlanned } from "./plan.js";
import { type ScopeLog, type StepLog } from "./log.js";
import type { JournalRow, KeptValues, Ports, RowChange } from "./ports.js";
import { Asleep, Halted, Paused, StepFailed, Stopped, TimedOut, type WaitsFor } from "./signals.js";
import { walkStep } from "./steps/index.js";

/** How many rows may wait for their commit before a run waits for them. */
const mostUncommitted = 64;
/** More secret places than this that come up together are told by `*`, or each template would look at each of them. */
const fewPlaces = 20;

/** One list of steps being walked: the run's own, or a loop item's. */
export interface Frame {
  /** Stands before the name of a step in its path: `` or `huts[17]/`. */
  prefix: string;
  log: ScopeLog;
  /** The outcomes that can be seen from here. */
  steps: JsonObject;
  /** The loop's item and index. */
  locals: ValueMap;
  /** How many failures were caught or passed over, so that the run goes on. */
  problems: { count: number };
  /** When the time of a step around these, or of the run, is over; in milliseconds since 1970. */
  deadline?: { at: number };
  /** Whether the walk of this frame should end at the next step: an item beside it failed. */
  halted(): boolean;
}

/** What is fixed for a run at its start. */
export interface RunFacts {
  id: string;
  /** The run whose ids this run's are derived from: itself, unless it repeats an earlier one. */
  origin: string;
  version: number;
}

/** How a run is told from outside to end or to rest. */
export interface Signals {
  /** Stop by hand: end at the next step. */
  stop: AbortSignal;
  /** The service is going down: rest at the next step. */
  pause: AbortSignal;
  /** Either of the two: ends waits that are held in memory. */
  rouse: AbortSignal;
  /** Cuts off what is being sent. */
  cut: AbortSignal;
}

/** A wait longer than this many milliseconds sleeps in the store; a shorter one is held in memory. */
export const longestWaitInMemory = 30_000;

/** One pass over a run: takes what the journal holds, and acts from where it ends. */
export class Walk {
  readonly masks = new MaskSet();
  /** Paths of secrets, as expressions write them: `["steps", "token", "body", "access_token"]`. */
  readonly secretPaths: Path[] = [];
  readonly #secretPlaces = new Set<string>();
  readonly variables: JsonObject = {};
  responded = false;
  readonly options: RunOptions;
  /** How it departs from a plain run; undefined where it does not. */
  readonly plan: Plan | undefined;
  /** In a rehearsal: what would have been kept. */
  readonly keptInRehearsal: JsonObject = {};
  readonly #fixed: { inputs: JsonObject; trigger: JsonObject; run: JsonObject };
  #held: JournalRow[] = [];
  /** The kept values that were read since the last entry. */
  #keptRead: JsonObject = {};
  #keptMasked: Path[] = [];
  #lastWrite: Promise<void> = Promise.resolve();
  #uncommitted = 0;
  #seenWriteFailure: unknown;

  constructor(
    readonly workflow: Workflow,
    readonly facts: RunFacts,
    readonly ports: Ports,
    readonly log: RunLog,
    readonly signals: Signals,
  ) {
    const started = log.started as NonNullable<RunLog["started"]>;
    const startedAt = new Date(started.at).toISOString();
    this.options = started.options ?? {};
    const { held, only, to, breakpoints } = this.options;
    this.plan = held || only || to || breakpoints ? new Plan(workflow, this.options) : undefined;
    this.#fixed = {
      inputs: started.inputs,
      trigger: started.trigger as unknown as JsonObject,
      run: {
        id: facts.id,
        version: facts.version,
        workflow: workflow.name,
        startedAt,
        rehearsal: this.rehearsal,
      },
    };
    for (const entry of log.secrets) this.#takeSecrets(entry.values, entry.places);
  }

  /** Whether calls that do more than read are held back. */
  get rehearsal(): boolean {
    return this.options.rehearsal === true;
  }

  async steps(steps: readonly Step[], frame: Frame): Promise<void> {
    for (const step of steps) {
      if (frame.halted()) throw new Halted();
      const log = frame.log.step(step.name);
      const { plan } = this;
      if (!plan) await walkStep(this, step, frame, log);
      else await walkPlanned(this, plan, step, frame, log, () => walkStep(this, step, frame, log));
    }
  }

  /** Called before a step does anything new: a stop by hand, the end of the service or of its time comes first. */
  checkSignals(frame: Frame, path: string): void {
    if (this.signals.stop.aborted) throw new Stopped("stopped", "Stopped by hand.", path);
    if (this.signals.pause.aborted) throw new Paused();
    const { deadline } = frame;
    if (deadline && this.ports.clock.now() >= deadline.at) throw new TimedOut(deadline);
  }

  /** Waits until a time, or the end of the step's time: in memory or, when it is long, asleep in the store. */
  async sleepUntil(until: number, frame: Frame, path: string, waitsFor?: WaitsFor): Promise<void> {
    const end = Math.min(until, frame.deadline?.at ?? until);
    const left = end - this.ports.clock.now();
    if (left > longestWaitInMemory) throw new Asleep(end, path, waitsFor);
    if (left > 0) {
      this.checkSignals(frame, path);
      await this.flush();
      try {
        await this.ports.clock.wait(left, this.signals.rouse);
      } catch (error) {
        this.checkSignals(frame, path);
        throw error;
      }
    }
    if (frame.deadline && end < until) throw new TimedOut(frame.deadline);
  }

  /** The names in scope of an expression of a step. */
  scope(frame: Frame, more?: ValueMap): ValueMap {
    const { inputs, trigger, run } = this.#fixed;
    const constants = this.ports.constants();
    const { variables } = this;
    return { inputs, trigger, run, steps: frame.steps, variables, constants, ...frame.locals, ...more };
  }

  /** The time and ids of an evaluation; the same again at a replay. */
  surroundings(path: string, at: number, kept?: JsonObject): Surroundings {
    return {
      now: () => at,
      uuid: (place, count) => derivedUuid(this.facts.origin, path, place, count),
      kept: (key) => {
        const known = kept && own(kept, key);
        const now = known === undefined ? this.keptNow(key) : undefined;
        if (now) this.#noteKeptSecrets(key, now);
        const values = known ?? (now as KeptValues).values;
        setOwn(this.#keptRead, key, values);
        return values as JsonObject;
      },
    };
  }

  /** What is kept under a key now. */
  keptNow(key: string): KeptValues {
    const rehearsed = own(this.keptInRehearsal, key);
    return isObject(rehearsed) ? { values: rehearsed, masked: [] } : this.ports.kept.read(key);
  }

  /** What was a secret when it was kept is one here, too. */
  #noteKeptSecrets(key: string, { values, masked }: KeptValues): void {
    if (masked.length === 0) return;
    this.secret(
      masked.flatMap((place) => leafTexts(valueAt(values, place) ?? null)),
      [],
    );
    this.#keptMasked.push(...masked.map((place) => ["data", "kept", key, ...place]));
  }

  /** Chance that is the same again at a replay: from 0 up to 1. */
  chance(...parts: (string | number)[]): number {
    return derivedFraction(this.facts.origin, ...parts);
  }

  /** Evaluates a bare expression; what it gave becomes JSON at once. */
  evaluate(
    expression: Expression,
    field: string,
    path: string,
    frame: Frame,
    at: number,
    more?: ValueMap,
    kept?: JsonObject,
  ): Json {
    return this.guarded(
      path,
      field,
      () => evaluateToJson(expression, this.scope(frame, more), this.surroundings(path, at, kept)) ?? null,
    );
  }

  /** Evaluates a bare expression that must give true or false. */
  condition(
    expression: Expression,
    field: string,
    path: string,
    frame: Frame,
    at: number,
    more?: ValueMap,
  ): boolean {
    const value = this.evaluate(expression, field, path, frame, at, more);
    if (typeof value === "boolean") return value;
    throw new StepFailed({
      code: "expression",
      message: `"${field}" must be true or false, but ${expression.text} is ${printJson(value).slice(0, 60)}.`,
      step: path,
      field,
    });
  }

  /** Turns an error of an expression into the failure of a step. */
  guarded<T>(path: string, field: string, run: () => T): T {
    try {
      return run();
    } catch (error) {
      if (!(error instanceof ExpressionError)) throw error;
      throw new StepFailed({ code: "expression", message: error.message, step: path, field });
    }
  }

  /** Keeps an entry for the next write, with what changes in the same commit. */
  note(entry: Entry, change?: RowChange): void {
    if (entry.type !== "secrets") this.#takeKeptRead(entry);
    this.log.take(entry);
    this.#held.push({ ...this.#row(entry), ...(change ? { change } : {}) });
    if (change?.kept) this.ports.kept.change(change.kept);
  }

  /** What expressions read of kept values belongs to what they began. */
  #takeKeptRead(entry: Entry): void {
    if (entry.type === "begun" && Object.keys(this.#keptRead).length > 0) {
      entry.data["kept"] = this.#keptRead;
      if (this.#keptMasked.length > 0) entry.masked = [...(entry.masked ?? []), ...this.#keptMasked];
    }
    this.#keptRead = {};
    this.#keptMasked = [];
  }

  /** Hands the noted entries to the journal without waiting for their commit. */
  async flush(): Promise<void> {
    this.#hand();
    if (this.#uncommitted > mostUncommitted) await this.commit();
  }

  /** Resolves when everything noted so far is durable. */
  async commit(): Promise<void> {
    this.#hand();
    await this.#lastWrite;
  }

  #hand(): void {
    if (this.#seenWriteFailure) throw this.#seenWriteFailure;
    if (this.#held.length === 0) return;
    const rows = this.#held;
    this.#held = [];
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
    if (places.length === 0 && !this.masks.found(json)) return { entry, open: json, sealed: undefined };
    const masked = this.masks.json(maskPlaces(entry as unknown as Json, places));
    return { entry, open: printJson(masked), sealed: json };
  }

  /** Takes in secrets that came up: they are masked from here on, in this run, for ever. */
  secret(values: string[], places: Path[]): void {
    const fresh = values.filter((value) => value.length >= leastLength && !this.masks.has(value));
    const general = places.length > fewPlaces ? places.map(ofEveryItem) : places;
    const freshPlaces = [...new Map(general.map((place) => [place.join("\u0000"), place]))]
      .filter(([text]) => !this.#secretPlaces.has(text))
      .map(([, place]) => place);
    if (fresh.length === 0 && freshPlaces.length === 0) return;
    this.#takeSecrets(fresh, freshPlaces);
    this.note({ type: "secrets", at: this.ports.clock.now(), values: fresh, places: freshPlaces });
  }

  #takeSecrets(values: string[], places: Path[]): void {
    this.masks.add(values);
    for (const place of places) {
      const text = place.join("\u0000");
      if (this.#secretPlaces.has(text)) continue;
      this.#secretPlaces.add(text);
      this.secretPaths.push(place);
    }
  }

  /** Whether a step reads a secret: by its own place or a part of it; or a whole that holds one too short to be found by value. */
  readsSecret(reads: readonly string[][], scope: ValueMap): boolean {
    return reads.some((read) =>
      this.secretPaths.some((secret) => {
        const shorter = Math.min(read.length, secret.length);
        for (let at = 0; at < shorter; at++)
          if (read[at] !== "*" && secret[at] !== "*" && String(secret[at]) !== read[at]) return false;
        if (read.length >= secret.length) return true;
        return placesAt(scope as Json, secret).some((place) => {
          const value = valueAt(scope as Json, place);
          return typeof value === "number" || (typeof value === "string" && value.length < leastLength);
        });
      }),
    );
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

  constantsRead(step: Step): JsonObject {
    const constants = this.ports.constants();
    const read: JsonObject = {};
    for (const [root, name] of step.reads) {
      const value = root === "constants" && name !== undefined ? own(constants, name) : undefined;
      if (value !== undefined) setOwn(read, name as string, value);
    }
    return read;
  }
}
