import type { GroupStep } from "../../workflows/steps.js";
import type { StepLog } from "../replayed.js";
import { StepFailed } from "../signals.js";
import type { Frame } from "../frame.js";
import type { Walk } from "../walk.js";
import { takeEnded } from "./ended.js";

/** Several steps as one: they see each other and are seen by those after it; what fails in there fails the group. */
export async function walkGroup(walk: Walk, step: GroupStep, frame: Frame, log: StepLog): Promise<void> {
  const path = frame.prefix + step.name;
  const { clock } = walk.ports;
  if (log.ended?.error) takeEnded(walk, step, frame, log);
  if (!log.begun) {
    walk.progress.check(frame, path);
    walk.write.note({ type: "begun", path, kind: "group", at: clock.now(), data: {} });
  }
  try {
    await walk.steps(step.steps, frame);
  } catch (error) {
    if (error instanceof StepFailed) walk.write.fail(frame, step, log, error.error);
    throw error;
  }
  if (!log.ended) walk.write.note({ type: "ended", path, kind: "group", at: clock.now(), outcome: {} });
  walk.write.settle(frame, step, {});
}
