import type { IfStep } from "../../workflows/steps.js";
import type { StepLog } from "../replayed.js";
import { StepFailed } from "../signals.js";
import type { Frame } from "../frame.js";
import type { Walk } from "../walk.js";
import { evaluated } from "./ended.js";

/** Chooses once; a replay walks the branch that was chosen, and takes its steps from the journal. */
export async function walkIf(walk: Walk, step: IfStep, frame: Frame, log: StepLog): Promise<void> {
  const path = frame.prefix + step.name;
  const clock = walk.ports.clock;
  if (log.ended?.error) throw new StepFailed(log.ended.error);
  if (!log.begun) {
    walk.progress.check(frame, path);
    const at = clock.now();
    const plan = walk.plan?.choosesFor(step) ? walk.plan : undefined;
    const taken = evaluated(walk, step, frame, log, () =>
      step.cases.find(({ condition, chose, then }) => {
        if (plan) return plan.leadsOn(then);
        const field = chose === "then" ? "if" : `cases[${chose}].if`;
        return walk.read.condition(condition, field, path, frame, at);
      }),
    );
    walk.write.note({ type: "begun", path, kind: "if", at, data: { chose: taken?.chose ?? "else" } });
  }
  const chose = log.begun?.data["chose"] as "then" | "else" | number;
  await walk.steps(step.cases.find((one) => one.chose === chose)?.then ?? step.else, frame);
  if (!log.ended) walk.write.note({ type: "ended", path, kind: "if", at: clock.now(), outcome: { chose } });
  walk.write.settle(frame, step, { chose });
}
