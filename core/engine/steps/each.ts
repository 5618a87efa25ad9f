import { sha256Hex } from "../../values/digest.js";
import { isObject, kindOf, printJson, type Json, type JsonObject } from "../../values/json.js";
import type { EachStep } from "../../workflows/steps.js";
import { Crowd } from "../crowd.js";
import type { Path } from "../../values/paths.js";
import { itemLog, type ItemLog, type StepLog } from "../replayed.js";
import { derivedByExpression, secretItemPlaces } from "../secrets.js";
import type { RunError } from "../entries.js";
import { CannotReplay, StepFailed } from "../signals.js";
import type { Frame } from "../frame.js";
import type { Walk } from "../walk.js";
import { evaluated, settled, takeEnded } from "./ended.js";

/** A list up to this many characters of JSON is remembered in the journal; of a longer one its digest. */
const longestKeptList = 16_384;
/** So many failures of items are reported one by one; the rest are counted. */
const mostFailures = 1_000;

/** Runs its steps once for each item of a list: in order, or several at once. */
export async function walkEach(walk: Walk, step: EachStep, frame: Frame, log: StepLog): Promise<void> {
  // A loop that had ended before the walk came here again counts as it did then.
  if (log.ended) frame.problems.count += itemProblems(log);
  if (takeEnded(walk, step, frame, log)) return;
  const path = frame.prefix + step.name;
  walk.progress.check(frame, path);
  const list = evaluated(walk, step, frame, log, () => listOf(walk, step, path, frame, log));
  const loop = new Loop(walk, step, path, frame, log, list);
  try {
    await loop.run();
  } catch (error) {
    if (error instanceof StepFailed) walk.write.fail(frame, step, log, error.error);
    throw error;
  }
  const masked: Path[] = [
    ...loop.secret.map((place) => ["outcome", "failures", "*", "item", ...place]),
    ...(loop.collectsSecrets ? [["outcome", "items"]] : []),
  ];
  settled(walk, step, frame, walk.ports.clock.now(), loop.outcome(), { masked });
  log.problems = itemProblems(log);
  log.items.clear();
}

function listOf(walk: Walk, step: EachStep, path: string, frame: Frame, log: StepLog): Json[] {
  const begun = log.begun;
  if (begun && Array.isArray(begun.data["list"])) return begun.data["list"];
  const at = begun?.at ?? walk.ports.clock.now();
  const [remembered, constants] = [begun?.data["remembered"], begun?.data["constants"]];
  const list = walk.read.evaluate(
    step.list,
    "each",
    path,
    frame,
    at,
    isObject(constants) ? { constants } : undefined,
    isObject(remembered) ? remembered : undefined,
  );
  const wrong = (code: string, message: string): never => {
    throw new StepFailed({ code, message, step: path, field: "each" });
  };
  if (!Array.isArray(list)) {
    const hint = list === null ? " default(…, []) uses an empty list for null." : "";
    return wrong("not-a-list", `"each" needs a list; ${step.list.text} is ${kindOf(list)}.${hint}`);
  }
  if (list.length > step.limit)
    return wrong(
      "too-many-items",
      `${step.list.text} has ${list.length} items, but the loop allows ${step.limit} ("limit"). No item was started.`,
    );
  const text = printJson(list);
  const digest = sha256Hex(text);
  if (!begun) {
    // A long list is made again at a replay, of the constants as they were.
    const constants = text.length <= longestKeptList ? {} : constantsOf(walk, step);
    const short: JsonObject = text.length <= longestKeptList ? { list } : {};
    const secret = secretItems(walk, step, frame);
    const masked = secret.map((place) => ["data", "list", "*", ...place]);
    walk.write.note({
      type: "begun",
      path,
      kind: "each",
      at,
      data: { length: list.length, digest, ...short, ...constants },
      ...(masked.length > 0 ? { masked } : {}),
    });
  } else if (begun.data["digest"] !== digest) {
    throw new CannotReplay(
      `The list of step ${path} is not the one that the loop began with, so the run cannot continue. Run it again from that step.`,
    );
  }
  return list;
}

function constantsOf(walk: Walk, step: EachStep): JsonObject {
  const all = step.reads.some(([root, name]) => root === "constants" && name === undefined);
  const constants = all ? walk.ports.constants() : walk.read.constantsRead(step);
  return Object.keys(constants).length > 0 ? { constants } : {};
}

/** The places of an item that hold secrets: they are secret under the item's own name, too. */
function secretItems(walk: Walk, step: EachStep, frame: Frame): Path[] {
  const places = secretItemPlaces(walk, step.list, walk.read.scope(frame));
  walk.write.secret(
    [],
    places.flatMap((place) => [
      [step.as, ...place],
      ["steps", step.name, "failures", "*", "item", ...place],
    ]),
  );
  return places;
}

/** The problems of an item: those inside it, and its own failure. */
function problemsOf(item: ItemLog["ended"]): number {
  return (item?.problems ?? 0) + (item?.error ? 1 : 0);
}

function itemProblems({ items, problems }: StepLog): number {
  return [...items.values()].reduce((sum, { ended }) => sum + problemsOf(ended), problems);
}

class Loop {
  /** The places of an item that hold secrets. */
  readonly secret: Path[];
  /** Whether what is collected holds secrets that are found by their place only. */
  collectsSecrets = false;
  readonly #collected: (Json | undefined)[] = [];
  readonly #failed: { index: number; error: RunError }[] = [];
  readonly #crowd: Crowd;

  constructor(
    readonly walk: Walk,
    readonly step: EachStep,
    readonly path: string,
    readonly frame: Frame,
    readonly log: StepLog,
    readonly list: Json[],
  ) {
    this.secret = secretItems(walk, step, frame);
    const only = walk.plan?.itemOf(step);
    const count = only === undefined ? list.length : Math.min(1, list.length - only);
    const run = (index: number): Promise<void> => this.#item(only ?? index);
    this.#crowd = new Crowd(walk.progress, frame, { path, count, parallel: step.parallel, run });
  }

  run(): Promise<void> {
    return this.#crowd.work();
  }

  outcome(): JsonObject {
    const failures = this.#failed
      .sort((a, b) => a.index - b.index)
      .slice(0, mostFailures)
      .map(({ index, error }) => ({ index, item: this.list[index], error }) as unknown as Json);
    return {
      done: this.list.length - this.#failed.length,
      failed: this.#failed.length,
      failures,
      // What failed gave nothing; the rest stands in the order of the list.
      ...(this.step.collect ? { items: this.#collected.filter((value) => value !== undefined) } : {}),
    };
  }

  async #item(index: number): Promise<void> {
    const log = itemLog(this.log, index);
    if (!log.ended) await this.#walkItem(index, log);
    const ended = this.log.items.get(index)?.ended;
    this.frame.problems.count += problemsOf(ended);
    if (ended?.error) this.#failed.push({ index, error: ended.error });
    else if (this.step.collect) {
      this.#collected[index] = ended?.value ?? null;
      if (ended?.masked) this.collectsSecrets = true;
    }
  }

  async #walkItem(index: number, log: ReturnType<typeof itemLog>): Promise<void> {
    const { walk, step, frame } = this;
    const path = `${this.path}[${index}]`;
    const inner: Frame = {
      ...frame,
      prefix: `${path}/`,
      log,
      steps: { ...frame.steps },
      locals: { ...frame.locals, [step.as]: this.list[index] as Json, index },
      problems: { count: 0 },
      halted: this.#crowd.halted,
    };
    const came = await this.#cameOut(inner, path);
    const problems = inner.problems.count > 0 ? { problems: inner.problems.count } : {};
    walk.write.note({ type: "item", path, at: walk.ports.clock.now(), ...came, ...problems });
    await walk.write.flush();
  }

  /** What an item gave, or how it failed where the loop goes on. */
  async #cameOut(inner: Frame, path: string): Promise<{ value?: Json; error?: RunError; masked?: Path[] }> {
    const { walk, step } = this;
    try {
      await walk.steps(step.steps, inner);
      if (!step.collect) return {};
      const value = walk.read.evaluate(step.collect, "collect", path, inner, walk.ports.clock.now());
      const places: Path[] = [["steps", step.name, "items"]];
      if (!derivedByExpression(walk, step.collect, value, walk.read.scope(inner), places)) return { value };
      this.collectsSecrets = true;
      return { value, masked: [["value"]] };
    } catch (error) {
      if (!(error instanceof StepFailed) || step.ifOneFails === "stop") throw error;
      return { error: error.error };
    }
  }
}
