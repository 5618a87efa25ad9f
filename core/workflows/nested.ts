import { isObject, type Json, type JsonObject } from "../values/json.js";
import type { Path } from "../values/paths.js";
import type { CallStep, Step, Workflow } from "./steps.js";

/** The lists of steps inside a step of the file, with where they stand in it. */
export function innerLists(step: JsonObject): { list: Json[]; path: Path }[] {
  const found: { list: Json[]; path: Path }[] = [];
  const take = (list: Json | undefined, path: Path): void => {
    if (Array.isArray(list)) found.push({ list, path });
  };
  for (const key of ["then", "else", "steps"]) take(step[key], [key]);
  const cases = step["cases"];
  if (Array.isArray(cases))
    cases.forEach((one, index) => {
      if (isObject(one)) take(one["then"], ["cases", index, "then"]);
    });
  if (isObject(step["group"])) take(step["group"]["steps"], ["group", "steps"]);
  const branches = isObject(step["together"]) ? step["together"]["branches"] : undefined;
  if (isObject(branches))
    for (const name of Object.keys(branches)) take(branches[name], ["together", "branches", name]);
  take(step["catch"], ["catch"]);
  return found;
}

/** Where in a way that begins at a step the index of an inner step stands; undefined if it leads to the step's own. */
export function innerListAt(way: Path): number | undefined {
  const length =
    way[0] === "cases" && way[2] === "then"
      ? 3
      : way[0] === "group" && way[1] === "steps"
        ? 2
        : way[0] === "together" && way[1] === "branches"
          ? 3
          : ["then", "else", "steps", "catch"].includes(String(way[0]))
            ? 1
            : undefined;
  return length !== undefined && typeof way[length] === "number" ? length : undefined;
}

/** The lists of steps inside a step that is made ready. */
export function innerSteps(step: Step): (readonly Step[])[] {
  const own = (): (readonly Step[])[] => {
    switch (step.kind) {
      case "if":
        return [...step.cases.map(({ then }) => then), step.else];
      case "each":
      case "group":
        return [step.steps];
      case "together":
        return step.branches.map(({ steps }) => steps);
      default:
        return [];
    }
  };
  return step.catch ? [...own(), step.catch] : own();
}

/** Every call of some steps, those inside of others and those of probes included. */
export function allCalls(steps: readonly Step[]): CallStep[] {
  return steps.flatMap((step) => [...callsOf(step), ...innerSteps(step).flatMap(allCalls)]);
}

/** Every call of a workflow: of its steps, and of its triggers. */
export function workflowCalls({ steps, triggers }: Pick<Workflow, "steps" | "triggers">): CallStep[] {
  return [...allCalls(steps), ...triggerCalls(triggers).map(({ call }) => call)];
}

/** The calls of triggers (what polls look at, what events fetch), by the names of the triggers. */
export function triggerCalls(
  triggers: Workflow["triggers"],
): { name: string; line: number; call: CallStep }[] {
  return Object.entries(triggers).flatMap(([name, one]) =>
    [one.fetch, one.kind === "poll" ? one.call : undefined].flatMap((call) =>
      call ? [{ name, line: one.line, call }] : [],
    ),
  );
}

/** The calls that a step makes itself: one, or several of an `ensure`, each with its probe. */
export function callsOf(step: Step): CallStep[] {
  const own =
    step.kind === "request"
      ? [step]
      : step.kind === "ensure"
        ? [step.find, step.create, step.update].filter((call) => call !== undefined)
        : [];
  return own.flatMap((call) => (call.probe ? [call, call.probe.call] : [call]));
}
