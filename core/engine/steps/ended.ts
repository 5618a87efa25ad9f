import type { Json } from "../../values/json.js";
import type { Path } from "../../values/paths.js";
import type { Step } from "../../workflows/steps.js";
import type { StepLog } from "../replayed.js";
import type { RowChange } from "../ports.js";
import { statedSecrets } from "../secrets.js";
import { StepFailed } from "../signals.js";
import type { Frame } from "../frame.js";
import type { Walk } from "../walk.js";

/**
 * Takes a step that has ended, without doing anything again. False where it has not ended.
 * @throws StepFailed where it ended with an error
 */
export function takeEnded(walk: Walk, step: Step, frame: Frame, log: StepLog, outcome?: () => Json): boolean {
  const ended = log.ended;
  if (!ended) return false;
  if (ended.error) throw new StepFailed(ended.error);
  if (ended.skipped === undefined) walk.write.settle(frame, step, ended.outcome ?? outcome?.() ?? null);
  return true;
}

/** Runs what a step evaluates; an expression that fails is the step's failure, noted in the journal. */
export function evaluated<T>(walk: Walk, step: Step, frame: Frame, log: StepLog, run: () => T): T {
  try {
    return run();
  } catch (error) {
    if (error instanceof StepFailed) walk.write.fail(frame, step, log, error.error);
    throw error;
  }
}

/** Notes the outcome of a step, with what it says is secret in it masked, and takes it into scope. */
export function settled(
  walk: Walk,
  step: Step,
  frame: Frame,
  at: number,
  outcome: Json,
  more: { masked?: Path[]; change?: RowChange } = {},
): void {
  const masked = [
    ...(more.masked ?? []),
    ...statedSecrets(walk, step, outcome).map((place) => ["outcome", ...place]),
  ];
  walk.write.note(
    {
      type: "ended",
      path: frame.prefix + step.name,
      kind: step.kind,
      at,
      outcome,
      ...(masked.length > 0 ? { masked } : {}),
    },
    more.change,
  );
  walk.write.settle(frame, step, outcome);
}
