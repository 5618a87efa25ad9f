import type { Step } from "../../workflows/steps.js";
import type { StepLog } from "../log.js";
import type { Frame, Walk } from "../walk.js";
import { walkCall } from "./call.js";
import { walkEach } from "./each.js";
import { walkEnsure } from "./ensure.js";
import { walkGroup } from "./group.js";
import { walkGuarded } from "./guarded.js";
import { walkIf } from "./if.js";
import { walkKeep } from "./keep.js";
import { walkNote } from "./note.js";
import { walkRespond } from "./respond.js";
import { walkSet } from "./set.js";
import { walkStop } from "./stop.js";
import { walkTogether } from "./together.js";
import { walkWait } from "./wait.js";
import { walkWorkflow } from "./workflow.js";

/** Walks one step: takes what the journal holds of it, and does what is left. */
export function walkStep(walk: Walk, step: Step, frame: Frame, log: StepLog): Promise<void> {
  const plain = !step.onlyIf && !step.catch && !step.keepGoing && step.within === undefined;
  if (plain) return walkKind(walk, step, frame, log);
  return walkGuarded(walk, step, frame, log, (inner) => walkKind(walk, step, inner, log));
}

function walkKind(walk: Walk, step: Step, frame: Frame, log: StepLog): Promise<void> {
  switch (step.kind) {
    case "request":
      return walkCall(walk, step, frame, log);
    case "if":
      return walkIf(walk, step, frame, log);
    case "group":
      return walkGroup(walk, step, frame, log);
    case "each":
      return walkEach(walk, step, frame, log);
    case "together":
      return walkTogether(walk, step, frame, log);
    case "ensure":
      return walkEnsure(walk, step, frame, log);
    case "workflow":
      return walkWorkflow(walk, step, frame, log);
    case "keep":
      return walkKeep(walk, step, frame, log);
    case "set":
      return walkSet(walk, step, frame, log);
    case "wait":
      return walkWait(walk, step, frame, log);
    case "respond":
      return walkRespond(walk, step, frame, log);
    case "stop":
      return walkStop(walk, step, frame, log);
    case "note":
      return walkNote(walk, step, frame, log);
  }
}
