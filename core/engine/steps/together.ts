import type { Json, JsonObject } from "../../values/json.js";
import { own, setOwn } from "../../values/json.js";
import type { TogetherStep } from "../../workflows/steps.js";
import type { RunError } from "../entries.js";
import { Crowd } from "../crowd.js";
import { innerIndex, itemLog, type StepLog } from "../replayed.js";
import { StepFailed } from "../signals.js";
import type { Frame } from "../frame.js";
import type { Walk } from "../walk.js";
import { takeEnded } from "./ended.js";

/** Walks its branches side by side; afterwards the steps of all of them can be read. */
export async function walkTogether(
  walk: Walk,
  step: TogetherStep,
  frame: Frame,
  log: StepLog,
): Promise<void> {
  const path = frame.prefix + step.name;
  const { clock } = walk.ports;
  if (log.ended?.error) takeEnded(walk, step, frame, log);
  if (!log.begun) {
    walk.progress.check(frame, path);
    walk.write.note({ type: "begun", path, kind: "together", at: clock.now(), data: {} });
  }
  const outcome: JsonObject = {};
  const seen: JsonObject[] = [];
  const failures = new Map<string, RunError>();
  const crowd: Crowd = new Crowd(walk.progress, frame, {
    path,
    count: step.branches.length,
    parallel: Math.max(2, step.branches.length),
    async run(index) {
      const { name, steps } = step.branches[index] as TogetherStep["branches"][number];
      const inner: Frame = {
        ...frame,
        prefix: `${path}.${name}/`,
        log: itemLog(frame.log.step(`${step.name}.${name}`), innerIndex),
        steps: { ...frame.steps },
        problems: { count: 0 },
        halted: crowd.halted,
      };
      try {
        await walk.steps(steps, inner);
      } catch (error) {
        if (!(error instanceof StepFailed) || step.ifOneFails === "stop") throw error;
        failures.set(name, error.error);
        inner.problems.count++;
      }
      frame.problems.count += inner.problems.count;
      seen[index] = inner.steps;
      const last = steps.at(-1)?.name;
      setOwn(outcome, name, (last === undefined ? undefined : own(inner.steps, last)) ?? null);
    },
  });
  try {
    await crowd.work();
  } catch (error) {
    if (error instanceof StepFailed) walk.write.fail(frame, step, log, error.error);
    throw error;
  }
  for (const steps of seen)
    for (const name of Object.keys(steps)) setOwn(frame.steps, name, own(steps, name) as Json);
  const failed = failuresOf(failures, step);
  if (!log.ended)
    walk.write.note({
      type: "ended",
      path,
      kind: "together",
      at: clock.now(),
      outcome: { failures: failed },
    });
  walk.write.settle(frame, step, { ...inOrder(outcome, step), failures: failed });
}

/** The errors of the branches that failed, in the order of the file. */
function failuresOf(failures: ReadonlyMap<string, RunError>, step: TogetherStep): JsonObject {
  const failed: JsonObject = {};
  for (const { name } of step.branches) {
    const error = failures.get(name);
    if (error) setOwn(failed, name, { ...error } as JsonObject);
  }
  return failed;
}

/** The branches in the order of the file, whichever ended first. */
function inOrder(outcome: JsonObject, step: TogetherStep): JsonObject {
  return Object.fromEntries(step.branches.map(({ name }) => [name, own(outcome, name) ?? null]));
}
