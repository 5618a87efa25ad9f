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

  breaksAt(step: Step, path: string): boolean {
    return this.options.breakpoints?.some((one) => one === step.name || one === path) ?? false;
  }

  endsAfter(step: Step): boolean {
    return step.name === this.#last;
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
  if (plan.breaksAt(step, path)) stopForALook(walk, frame, log, path);
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
function stopForALook(walk: Walk, frame: Frame, log: StepLog, path: string): void {
  const continued = walk.log.continued.get(path);
  if (!continued) {
    if (log.begun || log.ended) return;
    walk.progress.check(frame, path);
    const reason = `Paused before ${path}, at a breakpoint.`;
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
