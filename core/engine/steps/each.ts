import { sha256Hex } from "../../values/digest.js";
import { kindOf, printJson, type Json, type JsonObject } from "../../values/json.js";
import type { EachStep } from "../../workflows/steps.js";
import { itemLog, type StepLog } from "../log.js";
import { Asleep, CannotReplay, Halted, StepFailed, Unsure } from "../signals.js";
import { longestWaitInMemory, type Frame, type Walk } from "../walk.js";
import { evaluated, takeEnded } from "./ended.js";

/** A list up to this many characters of JSON is kept in the journal; of a longer one its digest. */
const longestKeptList = 16_384;
/** How many items of one loop may sleep while others take their place. */
const mostAsleep = 1_000;

/** Runs its steps once for each item of a list: in order, or several at once. */
export async function walkEach(walk: Walk, step: EachStep, frame: Frame, log: StepLog): Promise<void> {
  if (takeEnded(walk, step, frame, log)) return;
  const path = frame.prefix + step.name;
  walk.checkSignals(path);
  const list = evaluated(walk, step, frame, log, () => listOf(walk, step, path, frame, log));
  const loop = new Loop(walk, step, path, frame, log, list);
  await loop.run();
  const outcome: JsonObject = {
    done: list.length,
    failed: 0,
    failures: [],
    ...(step.collect ? { items: loop.collected } : {}),
  };
  walk.note({ type: "ended", path, kind: "each", at: walk.ports.clock.now(), outcome });
  log.items.clear();
  walk.settle(frame, step, outcome);
}

function listOf(walk: Walk, step: EachStep, path: string, frame: Frame, log: StepLog): Json[] {
  const begun = log.begun;
  if (begun && Array.isArray(begun.data["list"])) return begun.data["list"];
  const at = begun?.at ?? walk.ports.clock.now();
  const list = walk.evaluate(step.list, "each", path, frame, at);
  if (!Array.isArray(list)) {
    const hint = list === null ? " default(…, []) takes an empty list for null." : "";
    throw new StepFailed({
      code: "not-a-list",
      message: `"each" needs a list; ${step.list.text} is ${kindOf(list)}.${hint}`,
      step: path,
      field: "each",
    });
  }
  const text = printJson(list);
  const digest = sha256Hex(text);
  if (!begun) {
    const kept: JsonObject = text.length <= longestKeptList ? { list } : {};
    walk.note({ type: "begun", path, kind: "each", at, data: { length: list.length, digest, ...kept } });
  } else if (begun.data["digest"] !== digest) {
    throw new CannotReplay(`The list of step ${path} is not the one that the loop began with.`);
  }
  return list;
}

class Loop {
  readonly collected: Json[] = [];
  #next = 0;
  #active = 0;
  #halt = false;
  #failure: StepFailed | undefined;
  #unsure: Unsure | undefined;
  #fatal: unknown;
  readonly #asleep: { index: number; signal: Asleep }[] = [];

  constructor(
    readonly walk: Walk,
    readonly step: EachStep,
    readonly path: string,
    readonly frame: Frame,
    readonly log: StepLog,
    readonly list: Json[],
  ) {}

  async run(): Promise<void> {
    const workers = Math.min(this.step.atOnce, this.list.length);
    await Promise.all(Array.from({ length: workers }, () => this.#worker()));
    if (this.#fatal) throw this.#fatal;
    const earliest = this.#earliest();
    if (earliest && !this.#failure) {
      const { until, path } = earliest.signal;
      throw new Asleep(until, path, this.#asleep.find(({ signal }) => signal.waitsFor)?.signal.waitsFor);
    }
    if (this.#unsure) throw this.#unsure;
    if (this.#failure) this.walk.fail(this.frame, this.step, this.log, this.#failure.error);
    if (this.frame.halted()) throw new Halted();
  }

  async #worker(): Promise<void> {
    for (;;) {
      const index = this.#take();
      if (index === undefined) {
        const earliest = this.#earliest();
        if (!earliest || this.#halted()) return;
        const left = earliest.signal.until - this.walk.ports.clock.now();
        if (this.#active === 0 && left > longestWaitInMemory) return;
        await this.#rest(Math.min(Math.max(left, 1), 1_000));
        continue;
      }
      this.#active++;
      try {
        await this.#item(index);
      } catch (error) {
        this.#ended(index, error);
      } finally {
        this.#active--;
      }
    }
  }

  /** The next item to work on: one whose sleep is over comes before a new one. */
  #take(): number | undefined {
    if (this.#halted()) return undefined;
    const now = this.walk.ports.clock.now();
    const due = this.#asleep.findIndex(({ signal }) => signal.until <= now);
    if (due >= 0) return this.#asleep.splice(due, 1)[0]?.index;
    if (this.#asleep.length >= mostAsleep || this.#next >= this.list.length) return undefined;
    return this.#next++;
  }

  #ended(index: number, error: unknown): void {
    if (error instanceof Halted) return;
    const inOrder = this.step.atOnce === 1;
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

  async #item(index: number): Promise<void> {
    const { walk, step, frame, path } = this;
    const log = itemLog(this.log, index);
    if (!log.ended) {
      const inner: Frame = {
        prefix: `${path}[${index}]/`,
        log,
        steps: { ...frame.steps },
        locals: { ...frame.locals, [step.as]: this.list[index] as Json, index },
        problems: { count: 0 },
        halted: () => this.#halted(),
      };
      await walk.steps(step.steps, inner);
      const at = walk.ports.clock.now();
      const itemPath = `${path}[${index}]`;
      const value = step.collect
        ? { value: walk.evaluate(step.collect, "collect", itemPath, inner, at) }
        : {};
      const problems = inner.problems.count > 0 ? { problems: inner.problems.count } : {};
      walk.note({ type: "item", path: itemPath, at, ...value, ...problems });
      await walk.flush();
    }
    const ended = this.log.items.get(index)?.ended;
    frame.problems.count += ended?.problems ?? 0;
    if (step.collect) this.collected[index] = ended?.value ?? null;
  }

  #halted(): boolean {
    return this.#halt || this.frame.halted();
  }

  #earliest(): { index: number; signal: Asleep } | undefined {
    return this.#asleep.reduce<{ index: number; signal: Asleep } | undefined>(
      (best, item) => (!best || item.signal.until < best.signal.until ? item : best),
      undefined,
    );
  }

  async #rest(millis: number): Promise<void> {
    try {
      await this.walk.ports.clock.wait(millis, this.walk.signals.rouse);
    } catch {
      this.#halt = true;
      try {
        this.walk.checkSignals(this.path);
      } catch (signal) {
        this.#fatal ??= signal;
      }
    }
  }
}
