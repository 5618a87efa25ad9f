import { isObject, own as ownValue, setOwn, type Json, type JsonObject } from "../values/json.js";
import type { Entry } from "./entries.js";
import { StepLog } from "./replayed.js";
import { outcomeOf } from "./steps/call/outcome.js";

/**
 * The values that expressions see, as a run's journal holds them: inputs, trigger, run, the outcomes of its own steps
 * (those inside of loops are over), variables, and constants that were read.
 * @param at the items of loops of which the steps are to be seen, too, such as `huts[3]/posts[0]`; of a loop that is not named
 *   the first. Undefined: none
 */
export function scopeOf(entries: Iterable<Entry>, run: { id: string }, at?: string): JsonObject {
  const scope: Record<"inputs" | "trigger" | "run" | "steps" | "variables" | "constants", JsonObject> = {
    inputs: {},
    trigger: {},
    run: { id: run.id },
    steps: {},
    variables: {},
    constants: {},
  };
  const all = [...entries];
  for (const entry of all) {
    if (entry.type === "started") {
      const { workflow, version, at, trigger, inputs } = entry;
      if (isObject(inputs)) scope.inputs = inputs;
      scope.trigger = { ...trigger } as JsonObject;
      scope.run = {
        id: run.id,
        startedAt: new Date(at).toISOString(),
        workflow,
        version,
        rehearsal: entry.options?.rehearsal === true,
      };
    } else if (entry.type === "begun") {
      const constants = ownValue(entry.data, "constants");
      if (isObject(constants)) Object.assign(scope.constants, constants);
    }
  }
  const chosen = at === undefined ? undefined : new Map(itemsIn(at));
  eachOutcome(all, ({ path, kind }, outcome) => {
    if (kind === "set" && isObject(outcome))
      for (const name of Object.keys(outcome)) setOwn(scope.variables, name, ownValue(outcome, name) as Json);
    // Steps inside of loops, under a catch and inside of other steps are over; variables that they set are not.
    if (!path.includes("/")) setOwn(scope.steps, path, outcome);
    else if (/^\w+\.\w+\/\w+$/.test(path)) setOwn(scope.steps, path.split("/")[1] as string, outcome);
    else if (
      chosen &&
      !path.includes("!") &&
      itemsIn(path).every(([loop, index]) => (chosen.get(loop) ?? 0) === index)
    )
      setOwn(scope.steps, path.split("/").at(-1) as string, outcome);
  });
  return scope;
}

/** The loops in a path, with the number of the item. */
const itemsIn = (path: string): [string, number][] =>
  [...path.matchAll(/(\w+)\[(\d+)\]/g)].map(([, loop, index]) => [loop as string, Number(index)]);

/**
 * The outcomes that a run gave, by the name of their step, as they may be fixed for a test; of steps inside of loops
 * those of one item.
 */
export function fixedOutcomes(entries: Iterable<Entry>, item = 0): JsonObject {
  const fixed: JsonObject = {};
  eachOutcome([...entries], ({ path }, outcome) => {
    const name = path.split("/").at(-1) as string;
    if (itemsIn(path).every(([, index]) => index === item) && !path.includes("!"))
      setOwn(fixed, name, outcome);
  });
  return fixed;
}

/** Calls `visit` for every step that ended, with what it gave; a failure is given as expressions see it. */
function eachOutcome(
  entries: readonly Entry[],
  visit: (ended: { path: string; kind: string }, outcome: Json) => void,
): void {
  const calls = new Map<string, StepLog>();
  for (const entry of entries) {
    if (entry.type === "attempt") {
      const log = calls.get(entry.path) ?? new StepLog();
      log.attempts.push(entry);
      calls.set(entry.path, log);
    }
    if (entry.type !== "ended" || entry.skipped !== undefined) continue;
    const log = calls.get(entry.path);
    const outcome = entry.error
      ? { failed: true, error: entry.error as unknown as JsonObject }
      : (entry.outcome ?? (log ? outcomeOf(log) : undefined));
    if (outcome !== undefined) visit(entry, outcome);
  }
}
