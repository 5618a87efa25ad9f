import { compile } from "../expressions/compile.js";
import { ExpressionError } from "../expressions/errors.js";
import { evaluateToJson } from "../expressions/templates.js";
import { isObject, own, setOwn, type Json, type JsonObject } from "../values/json.js";
import type { Path } from "../values/paths.js";
import { innerSteps } from "../workflows/nested.js";
import type { Step, Workflow } from "../workflows/steps.js";
import type { RunOptions } from "./options.js";
import { Asleep, Stopped } from "./signals.js";
import type { Frame } from "./frame.js";
import type { Walk } from "./walk.js";
import type { StepLog } from "./replayed.js";
import { settled } from "./steps/ended.js";

/** How a run by hand departs from a plain one: what it leaves out, where it ends, and where it stops for a look. */
export class Plan {
  /** Steps that hold the one that is to run. */
  readonly #around = new Set<string>();
  /** That one, and the steps in it. */
  readonly #inside = new Set<string>();
  readonly #last: string | undefined;

  constructor(
    workflow: Workflow,
    readonly options: RunOptions,
  ) {
    const only = options.only?.step;
    this.#last = only ?? options.to;
    if (only !== undefined) this.#find(workflow.steps, only, []);
  }

  #find(steps: readonly Step[], wanted: string, around: string[]): void {
    for (const step of steps) {
      if (step.name === wanted) {
        for (const name of around) this.#around.add(name);
        this.#takeIn(step);
      } else for (const inner of innerSteps(step)) this.#find(inner, wanted, [...around, step.name]);
    }
  }

  #takeIn(step: Step): void {
    this.#inside.add(step.name);
    for (const inner of innerSteps(step)) for (const one of inner) this.#takeIn(one);
  }

  /** The item of a loop that is to run; undefined if all of them are. */
  itemOf(step: Step): number | undefined {
    return this.#around.has(step.name) ? (this.options.only?.item ?? 0) : undefined;
  }

  /** Whether this is the list of steps that holds the one to run. */
  leadsOn(steps: readonly Step[]): boolean {
    return steps.some(({ name }) => this.#around.has(name) || this.#inside.has(name));
  }

  /** Whether a choice is made for the sake of the step that is to run. */
  choosesFor(step: Step): boolean {
    return this.#around.has(step.name);
  }

  /** What stands for a step instead of running it: a fixed outcome, or nothing at all (null). */
  instead(step: Step): { outcome: Json } | null | undefined {
    if (this.#inside.has(step.name) || this.#around.has(step.name)) return undefined;
    const fixed = this.options.fixed && own(this.options.fixed, step.name);
    if (fixed !== undefined) return { outcome: fixed };
    return this.options.only ? null : undefined;
  }

  /** Why a run stops for a look before a step that has not begun; undefined if it does not. */
  breaksAt(walk: Walk, step: Step, frame: Frame, path: string): string | undefined {
    for (const one of this.options.breakpoints ?? []) {
      if (typeof one === "string") {
        if (one === step.name || one === path) return "at a breakpoint";
      } else if (one.step === step.name && (one.item === undefined || one.item === innermostItem(path))) {
        const holds = one.when === undefined || conditionHolds(walk, frame, one.when);
        if (holds === true) return one.when === undefined ? "at a breakpoint" : `since ${one.when} is true`;
        if (holds === undefined) return `since ${one.when} gives neither true nor false here`;
      }
    }
    const last = walk.log.lastContinued;
    if (last?.next === "step") return "at the next step";
    if (last?.next !== "item") return undefined;
    const end = last.path.lastIndexOf("]/");
    return end >= 0 && path.startsWith(last.path.slice(0, end + 2)) ? undefined : "at the next item";
  }

  endsAfter(step: Step): boolean {
    return step.name === this.#last;
  }
}

/** The number of the item of the innermost loop around a step. */
function innermostItem(path: string): number | undefined {
  const found = /\[(\d+)\]\/[^[]*$/.exec(path)?.[1];
  return found === undefined ? undefined : Number(found);
}

/** Whether a condition of a person holds at a step; undefined where it gives neither true nor false. Nothing of it is noted. */
function conditionHolds(walk: Walk, frame: Frame, when: string): boolean | undefined {
  try {
    const found = evaluateToJson(compile(when), walk.read.scope(frame), {
      now: () => walk.ports.clock.now(),
      uuid: () => walk.facts.origin,
      remembered: (key) => walk.read.rememberedNow(key).values,
    });
    return typeof found === "boolean" ? found : undefined;
  } catch (error) {
    if (error instanceof ExpressionError) return undefined;
    throw error;
  }
}

/** Walks a step by a plan. */
export async function walkPlanned(
  walk: Walk,
  plan: Plan,
  step: Step,
  frame: Frame,
  log: StepLog,
  run: () => Promise<void>,
): Promise<void> {
  const path = frame.prefix + step.name;
  const instead = plan.instead(step);
  if (instead === null) return;
  if (instead) {
    if (!log.ended) settled(walk, step, frame, walk.ports.clock.now(), instead.outcome);
    else walk.write.settle(frame, step, instead.outcome);
    setVariables(walk, step, instead.outcome);
    if (step.kind !== "each") for (const inner of innerSteps(step)) holdInside(walk, plan, inner, frame);
    return;
  }
  stopForALook(walk, plan, step, frame, log, path);
  await run();
  if (plan.endsAfter(step)) throw new Stopped("succeeded", `Ended after step ${path}, as requested.`, path);
}

function setVariables(walk: Walk, step: Step, outcome: Json): void {
  if (step.kind !== "set" || !isObject(outcome)) return;
  for (const name of Object.keys(outcome)) setOwn(walk.read.variables, name, outcome[name] as Json);
}

/** Takes what is fixed for the steps inside one that is fixed itself, as if they had run: later steps may read them. */
function holdInside(walk: Walk, plan: Plan, steps: readonly Step[], frame: Frame): void {
  for (const step of steps) {
    const fixed = plan.instead(step);
    if (!fixed) continue;
    walk.write.settle(frame, step, fixed.outcome);
    setVariables(walk, step, fixed.outcome);
    if (step.kind !== "each") for (const inner of innerSteps(step)) holdInside(walk, plan, inner, frame);
  }
}

/** Rests before a step until somebody says go on; the values that they changed are in place from then on. */
function stopForALook(walk: Walk, plan: Plan, step: Step, frame: Frame, log: StepLog, path: string): void {
  const continued = walk.log.continued.get(path);
  if (!continued) {
    if (log.begun || log.ended) return;
    const why = plan.breaksAt(walk, step, frame, path);
    if (why === undefined) return;
    walk.progress.check(frame, path);
    const reason = `Paused before ${path}, ${why}.`;
    throw new Asleep(Number.POSITIVE_INFINITY, path, [{ path, kind: "breakpoint", name: path, reason }]);
  }
  for (const { place, value } of continued.changes ?? []) {
    const [root, ...rest] = place;
    change(root === "variables" ? walk.read.variables : frame.steps, rest, value);
  }
}

/** Puts a value at a place, in copies of what lies on the way: the journal's own values stay as they are. */
function change(root: JsonObject, place: Path, value: Json): void {
  let at: Json = root;
  place.slice(0, -1).forEach((part) => {
    const inner: Json | undefined = Array.isArray(at)
      ? at[Number(part)]
      : own(at as JsonObject, String(part));
    const copy: Json = Array.isArray(inner) ? [...inner] : { ...(inner as JsonObject | undefined) };
    put(at, part, copy);
    at = copy;
  });
  const last = place.at(-1);
  if (last !== undefined) put(at, last, value);
}

function put(at: Json, part: string | number, value: Json): void {
  if (Array.isArray(at)) at[Number(part)] = value;
  else setOwn(at as JsonObject, String(part), value);
}
