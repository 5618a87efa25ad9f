import { readyCall } from "../../../workflows/ready-call.js";
import { noPages, type CallStep, type ReadyCall } from "../../../workflows/steps.js";
import type { StepLog } from "../../replayed.js";
import { OperationMissing } from "../../ports.js";
import type { Frame } from "../../frame.js";
import type { Walk } from "../../walk.js";

/** A call with what the document of its operation says, by the revision that the run goes by. */
export async function described(walk: Walk, step: CallStep, frame: Frame, log: StepLog): Promise<ReadyCall> {
  if (!step.operation) return readyCall(step, undefined);
  const { api, id } = step.operation;
  try {
    const found = await walk.ports.operation(api, id, walk.log.started?.apis?.[api]);
    if (step.pages === "all" && !found.operation.pages) throw new OperationMissing(noPages(api, id));
    return readyCall(step, found);
  } catch (error) {
    if (error instanceof OperationMissing)
      return walk.write.fail(frame, step, log, { code: "operation", message: error.message });
    throw error;
  }
}
