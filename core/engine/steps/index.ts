import type { Step } from "../../workflows/steps.js";
import type { Frame } from "../frame.js";
import { walkPlanned } from "../plan.js";
import type { StepLog } from "../replayed.js";
import type { Walk, WalkStep } from "../walk.js";
import { walkCall } from "./call/call.js";
import { walkEach } from "./each.js";
import { walkEnd } from "./end.js";
import { walkEnsure } from "./ensure.js";
import { walkGroup } from "./group.js";
import { walkGuarded } from "./guarded.js";
import { walkIf } from "./if.js";
import { walkNote } from "./note.js";
import { walkRemember } from "./remember.js";
import { walkRespond } from "./respond.js";
import { walkSet } from "./set.js";
import { walkTogether } from "./together.js";
import { walkWait } from "./wait.js";
import { walkWorkflow } from "./workflow.js";

type StepOf<K extends Step["kind"]> = Extract<Step, { kind: K }>;
type Walker<S extends Step> = (walk: Walk, step: S, frame: Frame, log: StepLog) => Promise<void>;

/** What walks a step of each kind. */
const kinds: { [K in Step["kind"]]: Walker<StepOf<K>> } = {
  request: walkCall,
  if: walkIf,
  group: walkGroup,
  each: walkEach,
  together: walkTogether,
  ensure: walkEnsure,
  workflow: walkWorkflow,
  remember: walkRemember,
  set: walkSet,
  wait: walkWait,
  respond: walkRespond,
  finish: walkEnd,
  fail: walkEnd,
  note: walkNote,
};

const walkKind: WalkStep = (walk, step, frame, log) =>
  (kinds[step.kind] as Walker<Step>)(walk, step, frame, log);

const walkWhole: WalkStep = (walk, step, frame, log) => {
  const plain = !step.onlyIf && !step.catch && !step.keepGoing && step.within === undefined;
  if (plain) return walkKind(walk, step, frame, log);
  return walkGuarded(walk, step, frame, log, (inner) => walkKind(walk, step, inner, log));
};

/** Walks one step, as the plan of a run by hand says if it has one. */
export const walkStep: WalkStep = (walk, step, frame, log) =>
  walk.plan
    ? walkPlanned(walk, walk.plan, step, frame, log, () => walkWhole(walk, step, frame, log))
    : walkWhole(walk, step, frame, log);
