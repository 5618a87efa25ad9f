import type { IfStep } from "../../workflows/steps.js";
import type { StepLog } from "../log.js";
import { StepFailed } from "../signals.js";
import type { Frame, Walk } from "../walk.js";
import { evaluated } from "./ended.js";

/** Chooses once; a replay walks the branch that was chosen, and takes its steps from the journal. */
export async function walkIf(walk: Walk, step: IfStep, frame: Frame, log: StepLog): Promise<void> {
  const path = frame.prefix + step.name;
  const clock = walk.ports.clock;
  if (log.ended?.error) throw new StepFailed(log.ended.error);
  if (!log.begun) {
    walk.checkSignals(path);
    const at = clock.now();
    const holds = evaluated(walk, step, frame, log, () =>
      walk.condition(step.condition, "if", path, frame, at),
    );
    walk.note({ type: "begun", path, kind: "if", at, data: { chose: holds ? "then" : "else" } });
  }
  const chose = log.begun?.data["chose"] as "then" | "else";
  await walk.steps(step[chose], frame);
  if (!log.ended) walk.note({ type: "ended", path, kind: "if", at: clock.now(), outcome: { chose } });
  walk.settle(frame, step, { chose });
}
