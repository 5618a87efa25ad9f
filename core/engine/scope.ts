import { isObject, own as ownValue, setOwn, type Json, type JsonObject } from "../values/json.js";
import type { Entry } from "./entries.js";
import { StepLog } from "./log.js";
import { outcomeOf } from "./steps/call-answer.js";

/**
 * The values that expressions see, as a run's journal holds them: inputs, trigger, run, the outcomes of its own steps
 * (those inside of loops are over), variables, and constants that were read.
 */
export function scopeOf(entries: Iterable<Entry>, run: { id: string }): JsonObject {
  const scope: Record<"inputs" | "trigger" | "run" | "steps" | "variables" | "constants", JsonObject> = {
    inputs: {},
    trigger: {},
    run: { id: run.id },
    steps: {},
    variables: {},
    constants: {},
  };
  const calls = new Map<string, StepLog>();
  for (const entry of entries) {
    switch (entry.type) {
      case "started": {
        const { workflow, version, at, trigger, inputs } = entry;
        if (isObject(inputs)) scope.inputs = inputs;
        scope.trigger = { ...trigger };
        scope.run = {
          id: run.id,
          startedAt: new Date(at).toISOString(),
          workflow,
          version,
          rehearsal: false,
        };
        break;
      }
      case "begun": {
        const constants = ownValue(entry.data, "constants");
        if (isObject(constants)) Object.assign(scope.constants, constants);
        break;
      }
      case "attempt": {
        const log = calls.get(entry.path) ?? new StepLog();
        log.attempts.push(entry);
        calls.set(entry.path, log);
        break;
      }
      case "ended": {
        if (entry.skipped !== undefined) break;
        // Steps inside of loops and under a catch are over; variables that they set are not.
        const own = !/[![]/.test(entry.path);
        if (entry.error) {
          if (own)
            setOwn(scope.steps, entry.path, { failed: true, error: entry.error as unknown as JsonObject });
          break;
        }
        const log = calls.get(entry.path);
        const outcome: Json | undefined = entry.outcome ?? (log ? outcomeOf(log) : undefined);
        if (entry.kind === "set" && isObject(outcome))
          for (const name of Object.keys(outcome))
            setOwn(scope.variables, name, ownValue(outcome, name) as Json);
        if (outcome !== undefined && own) setOwn(scope.steps, entry.path, outcome);
      }
    }
  }
  return scope;
}
