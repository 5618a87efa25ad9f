import { renderTemplate } from "../../expressions/templates.js";
import type { ValueMap } from "../../expressions/values.js";
import { isObject, own, printJson, type Json, type JsonObject } from "../../values/json.js";
import type { CallStep, EnsureStep } from "../../workflows/steps.js";
import { innerIndex, itemLog, type ItemLog, type StepLog } from "../replayed.js";
import type { RowChange } from "../ports.js";
import { responseSecrets, derivedByExpression, madeOfSecret } from "../secrets.js";
import type { Path } from "../../values/paths.js";
import { StepFailed } from "../signals.js";
import type { Frame } from "../frame.js";
import { longestWaitInMemory } from "../progress.js";
import type { Walk } from "../walk.js";
import { walkCall } from "./call/call.js";
import { evaluated, settled, takeEnded } from "./ended.js";

/** Looks whether something is there, and creates it where it is not; two runs that share a lock do so in turn. */
export async function walkEnsure(walk: Walk, step: EnsureStep, frame: Frame, log: StepLog): Promise<void> {
  if (takeEnded(walk, step, frame, log)) return;
  const path = frame.prefix + step.name;
  if (!log.begun) {
    walk.progress.check(frame, path);
    const at = walk.ports.clock.now();
    const lock = evaluated(walk, step, frame, log, () => lockName(walk, step, frame, path, at));
    walk.write.note({ type: "begun", path, kind: "ensure", at, data: lock === undefined ? {} : { lock } });
  }
  const lock = log.begun?.data["lock"] as string | undefined;
  if (lock !== undefined) await hold(walk, frame, path, lock);
  const free: RowChange | undefined =
    lock === undefined ? undefined : { lock: { name: lock, path, held: false } };
  const ensure = new Ensure(walk, step, frame, path, itemLog(log, innerIndex));
  try {
    const outcome = await ensure.run();
    const places = responseSecrets(walk, outcome["record"] ?? null, ["steps", step.name, "record"]);
    const masked: Path[] = ensure.recordIsSecret
      ? [["outcome", "record"]]
      : places.map((place) => ["outcome", "record", ...place]);
    settled(walk, step, frame, walk.ports.clock.now(), outcome, {
      ...(free ? { change: free } : {}),
      masked,
    });
  } catch (error) {
    if (error instanceof StepFailed) walk.write.fail(frame, step, log, error.error, free);
    throw error;
  } finally {
    if (lock !== undefined && log.ended) {
      await walk.write.commit();
      walk.ports.locks.release(lock, path);
    }
  }
}

function lockName(walk: Walk, step: EnsureStep, frame: Frame, path: string, at: number): string | undefined {
  const template = step.lock;
  if (!template) return undefined;
  const name = walk.read.guarded(path, "ensure.lock", () =>
    renderTemplate(template, walk.read.scope(frame), walk.read.surroundings(path, at)),
  );
  const text = typeof name === "string" ? name : printJson(name ?? null);
  // Locks are shown to everybody, and outlive the run's own masks.
  return madeOfSecret(walk, template, text, walk.read.scope(frame))
    ? walk.ports.locks.secretName(text)
    : text;
}

/** Waits until no other step holds the name, and takes it. */
async function hold(walk: Walk, frame: Frame, path: string, name: string): Promise<void> {
  const { locks, clock } = walk.ports;
  for (;;) {
    const taken = await locks.take(name, path);
    if (taken === "had") return;
    if (taken === "taken")
      return walk.write.note(
        { type: "locked", path, at: clock.now(), lock: name },
        { lock: { name, path, held: true } },
      );
    walk.progress.check(frame, path);
    await walk.write.flush();
    const free = await locks.wait(name, longestWaitInMemory, walk.progress.signals.rouse);
    walk.progress.check(frame, path);
    if (!free) {
      const reason = `Waits for the lock "${name}" of run ${(await locks.holder(name)) ?? ""}.`;
      await walk.progress.sleepUntil(Number.POSITIVE_INFINITY, frame, path, { kind: "lock", name, reason });
    }
  }
}

class Ensure {
  readonly #inner: Frame;
  /** Whether the record holds a secret that is found by its place only. */
  recordIsSecret = false;

  constructor(
    readonly walk: Walk,
    readonly step: EnsureStep,
    readonly frame: Frame,
    readonly path: string,
    readonly log: ItemLog,
  ) {
    this.#inner = { ...frame, prefix: `${path}/`, log, steps: { ...frame.steps } };
  }

  async run(): Promise<JsonObject> {
    const { step } = this;
    const found = await this.#find("find");
    if (found) return this.#update(found);
    if (!step.create) return { existed: false, created: false, changed: false, record: null };
    const log = this.log.step("create");
    // Whoever says "send again" of a creation whose fate is unknown means: unless it is there by now.
    if (log.lost && log.decided?.decision === "again") {
      const there = await this.#find(`find${log.sending + 1}`);
      if (there) return { existed: true, created: false, changed: false, record: there.record };
    }
    try {
      const made = await this.#call(step.create, "create");
      return { existed: false, created: made !== undefined, changed: false, record: made?.["body"] ?? null };
    } catch (error) {
      if (!(error instanceof StepFailed) || error.error.status !== 409) throw error;
      // Another was quicker: it is there now, if the API means what it says.
      const there = await this.#find("again");
      if (!there) throw error;
      return { existed: true, created: false, changed: false, record: there.record };
    }
  }

  async #find(name: string): Promise<{ record: Json; seen: ValueMap } | undefined> {
    const outcome = await this.#call(this.step.find, name);
    if (!outcome || outcome["status"] === 404) return undefined;
    const seen: ValueMap = { ...responseOf(outcome), failure: null, repeated: false };
    const { step } = this;
    if (step.found && this.#evaluate(step.found, "ensure.found", name, seen) !== true) return undefined;
    const record = step.record
      ? this.#evaluate(step.record, "ensure.record", name, seen)
      : (outcome["body"] ?? null);
    if (step.record) this.recordIsSecret ||= this.#holdsSecret(step.record, record, name, seen);
    if (!Array.isArray(record)) return record === null ? undefined : { record, seen };
    if (record.length > 1 && step.many === "fail")
      throw new StepFailed({
        code: "many",
        message: `${record.length} records match, but one was expected. Use "many: first" to take the first.`,
        step: this.path,
        field: "ensure.record",
      });
    const [first] = record;
    return first === undefined || first === null ? undefined : { record: first, seen };
  }

  /** The response's own names in an expression stand for what the find gave: `body` for `steps.find.body`. */
  #holdsSecret(
    expression: NonNullable<EnsureStep["record"]>,
    record: Json,
    name: string,
    seen: ValueMap,
  ): boolean {
    const { walk, step } = this;
    const scope = { ...walk.read.scope(this.#inner), ...seen };
    walk.write.secret(
      [],
      walk.secrets.paths.flatMap((place) =>
        place[0] === "steps" && place[1] === name ? [place.slice(2)] : [],
      ),
    );
    return derivedByExpression(walk, expression, record, scope, [["steps", step.name, "record"]]);
  }

  async #update({ record, seen }: { record: Json; seen: ValueMap }): Promise<JsonObject> {
    const { step } = this;
    const unchanged = { existed: true, created: false, changed: false, record };
    this.#inner.locals = { ...this.frame.locals, record: record as never };
    if (!step.update) return unchanged;
    if (
      step.updateIf &&
      this.#evaluate(step.updateIf, "ensure.update-if", "find", { ...seen, record }) !== true
    )
      return unchanged;
    const answer = await this.#call(step.update, "update");
    const body = answer?.["body"] ?? null;
    return { existed: true, created: false, changed: true, record: isObject(body) ? body : record };
  }

  /** Evaluates over the find's response, as of its end: the same again at a replay. */
  #evaluate(expression: NonNullable<EnsureStep["found"]>, field: string, name: string, seen: ValueMap): Json {
    const at = this.log.step(name).ended?.at ?? this.walk.ports.clock.now();
    return this.walk.read.evaluate(expression, field, this.path, this.#inner, at, seen);
  }

  async #call(call: CallStep, name: string): Promise<JsonObject | undefined> {
    await walkCall(this.walk, { ...call, name }, this.#inner, this.log.step(name));
    return own(this.#inner.steps, name) as JsonObject | undefined;
  }
}

function responseOf({ status, headers, body }: JsonObject): JsonObject {
  return { status: status ?? 0, headers: headers ?? {}, body: body ?? null };
}
