import { printForPeople } from "../../values/durations.js";
import type { JsonObject } from "../../values/json.js";
import type { Step } from "../../workflows/steps.js";
import type { RunError } from "../entries.js";
import { innerIndex, itemLog, type StepLog } from "../replayed.js";
import { StepFailed, TimedOut } from "../signals.js";
import type { Frame } from "../frame.js";
import type { Walk } from "../walk.js";
import { evaluated } from "./ended.js";

/** Walks a step by what it says of itself: whether it runs, and what follows where it fails. */
export async function walkGuarded(
  walk: Walk,
  step: Step,
  frame: Frame,
  log: StepLog,
  run: (frame: Frame) => Promise<void>,
): Promise<void> {
  try {
    if (step.onlyIf && skipped(walk, step, frame, log)) return;
    await withinTime(walk, step, frame, log, run);
  } catch (error) {
    if (!(error instanceof StepFailed) || !(step.catch || step.keepGoing)) throw error;
    frame.problems.count++;
    if (step.catch) await handled(walk, step, frame, error.error);
    walk.write.settle(frame, step, { failed: true, error: error.error as unknown as JsonObject });
  }
}

/** Runs a step until its time is over. */
async function withinTime(
  walk: Walk,
  step: Step,
  frame: Frame,
  log: StepLog,
  run: (frame: Frame) => Promise<void>,
): Promise<void> {
  if (step.within === undefined || log.ended) return run(frame);
  const deadline = { at: (log.begun?.at ?? walk.ports.clock.now()) + step.within };
  try {
    await run(frame.deadline && frame.deadline.at <= deadline.at ? frame : { ...frame, deadline });
  } catch (error) {
    if (!(error instanceof TimedOut) || error.deadline !== deadline) throw error;
    const message = `Not done within ${printForPeople(step.within)}, as "within" says.`;
    walk.write.fail(frame, step, log, { code: "timed-out", message });
  }
}

/** Whether `only-if` does not hold; it is asked once, and what began is not asked again. */
function skipped(walk: Walk, step: Step, frame: Frame, log: StepLog): boolean {
  if (log.ended?.skipped !== undefined) return true;
  if (!step.onlyIf || log.begun || log.ended) return false;
  const path = frame.prefix + step.name;
  walk.progress.check(frame, path);
  const at = walk.ports.clock.now();
  const condition = step.onlyIf;
  if (evaluated(walk, step, frame, log, () => walk.read.condition(condition, "only-if", path, frame, at)))
    return false;
  walk.write.note({
    type: "ended",
    path,
    kind: step.kind,
    at,
    skipped: `"only-if" (${condition.text}) does not hold.`,
  });
  return true;
}

/** Runs what stands under `catch`, with the error in scope. */
async function handled(walk: Walk, step: Step, frame: Frame, error: RunError): Promise<void> {
  const name = `${step.name}!catch`;
  const inner: Frame = {
    ...frame,
    prefix: `${frame.prefix}${name}/`,
    log: itemLog(frame.log.step(name), innerIndex),
    steps: { ...frame.steps },
    locals: { ...frame.locals, error: errorInScope(error) },
  };
  await walk.steps(step.catch ?? [], inner);
}

/** The error as expressions see it: every field is there. */
function errorInScope({ code, message, step, status, body }: RunError): JsonObject {
  return { code, message, step: step ?? null, status: status ?? null, body: body ?? null };
}
