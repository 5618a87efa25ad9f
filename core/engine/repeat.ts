import { innerSteps } from "../workflows/nested.js";
import type { Step, Workflow } from "../workflows/steps.js";
import type { Entry } from "./entries.js";

/** Why a run cannot be repeated from a step; `message` says what to do. */
export class CannotRepeat extends Error {
  override name = "CannotRepeat";
}

/** Where in a run it is repeated from: a step, or the failed items of a loop. */
export interface RepeatFrom {
  step: string;
  items?: "failed";
}

/** The order of all steps, and what lies around one of them. */
interface Place {
  order: Map<string, number>;
  around: Set<string>;
}

function placeOf(workflow: Workflow, wanted: string): Place {
  const order = new Map<string, number>();
  let around: Step[] | undefined;
  const visit = (steps: readonly Step[], above: Step[]): void => {
    for (const step of steps) {
      order.set(step.name, order.size);
      if (step.name === wanted) around = above;
      for (const inner of innerSteps(step)) visit(inner, [...above, step]);
    }
  };
  visit(workflow.steps, []);
  if (!around) throw new CannotRepeat(`There is no step "${wanted}" in ${workflow.name}.`);
  const loop = around.find(({ kind }) => kind === "each");
  if (loop)
    throw new CannotRepeat(
      `${wanted} is inside the loop ${loop.name}. Repeat from ${loop.name}, or only its failed items.`,
    );
  return { order, around: new Set(around.map(({ name }) => name)) };
}

/** The names of the steps whose outcomes are reused, in the order of the file. */
export function reusedSteps(workflow: Workflow, { step }: RepeatFrom): string[] {
  const { order, around } = placeOf(workflow, step);
  const at = order.get(step) as number;
  return [...order].filter(([name, index]) => index < at && !around.has(name)).map(([name]) => name);
}

/**
 * What is reused of a run that is repeated: all that happened in the steps before; the choices of steps around it; and of
 * a loop whose failed items are repeated all that did not fail.
 * @throws CannotRepeat
 */
export function reusedEntries(workflow: Workflow, from: RepeatFrom, entries: readonly Entry[]): Entry[] {
  const { order, around } = placeOf(workflow, from.step);
  const before = new Set(reusedSteps(workflow, from));
  const failed = failedItems(entries, from);
  return entries.filter((entry) => {
    if (entry.type === "secrets") return true;
    if (!("path" in entry) || entry.path === undefined || entry.type === "rested") return false;
    const owner = ownerOf(entry.path, order);
    if (owner === undefined) return false;
    if (before.has(owner.name)) return owner.names.every((name) => before.has(name) || around.has(name));
    if (around.has(owner.name)) return entry.type === "begun";
    if (!from.items || owner.names[0] === undefined || !owner.names.includes(from.step)) return false;
    if (owner.name === from.step) return entry.type === "begun" || (entry.type === "item" && !entry.error);
    return !failed.some((path) => (entry.path as string).startsWith(`${path}/`));
  });
}

/** The paths of the items that are repeated. */
function failedItems(entries: readonly Entry[], { step, items }: RepeatFrom): string[] {
  if (!items) return [];
  const loop = entries.find((entry) => entry.type === "begun" && entry.path.split("/").at(-1) === step);
  if (!loop || loop.type !== "begun" || loop.kind !== "each")
    throw new CannotRepeat(
      `${step} is not a loop that had begun; only failed items of a loop can be repeated.`,
    );
  const ended = new Set<string>();
  const found: string[] = [];
  for (const entry of entries) {
    if (entry.type !== "item" || !entry.path.startsWith(`${loop.path}[`)) continue;
    ended.add(entry.path);
    if (entry.error) found.push(entry.path);
  }
  const length = Number(loop.data["length"] ?? 0);
  for (let index = 0; index < length; index++)
    if (!ended.has(`${loop.path}[${index}]`)) found.push(`${loop.path}[${index}]`);
  if (found.length === 0) throw new CannotRepeat(`No item of ${step} failed.`);
  return found;
}

/** The step of the file that an entry's path belongs to, and the steps around it. */
function ownerOf(path: string, order: Map<string, number>): { name: string; names: string[] } | undefined {
  const names = path
    .split("/")
    .map((part) => part.replace(/\[\d+\]$|!catch$|\..*$/g, ""))
    .filter((name) => order.has(name));
  const name = names.at(-1);
  return name === undefined ? undefined : { name, names };
}
