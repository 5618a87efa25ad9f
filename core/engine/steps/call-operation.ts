import { compile, type Expression } from "../../expressions/compile.js";
import type { CallStep, ReadyCall } from "../../workflows/steps.js";
import type { StepLog } from "../log.js";
import { OperationMissing } from "../ports.js";
import type { Frame, Walk } from "../walk.js";

/** Expressions of operations, compiled once for their text. */
const compiled = new Map<string, Expression>();
const mostCompiled = 1_000;

/**
 * A call with all that the document of its API says: method, effect, credential, what counts as success. What the step
 * says itself stands over it.
 */
export async function readyCall(walk: Walk, step: CallStep, frame: Frame, log: StepLog): Promise<ReadyCall> {
  if (!step.operation) return { ...step, effect: step.effect ?? "writes" };
  const { api, id } = step.operation;
  try {
    const described = await walk.ports.operation(api, id, walk.log.started?.apis?.[api]);
    const { credential, ...target } = described;
    const { operation } = target;
    const using = step.using ?? credential;
    const success =
      step.success ?? (operation.success === undefined ? undefined : expressionOf(operation.success));
    return {
      ...step,
      method: operation.method,
      effect: step.effect ?? operation.effect,
      described: target,
      ...(using === undefined ? {} : { using }),
      ...(success === undefined ? {} : { success }),
    };
  } catch (error) {
    if (error instanceof OperationMissing)
      return walk.fail(frame, step, log, { code: "operation", message: error.message });
    throw error;
  }
}

function expressionOf(text: string): Expression {
  const known = compiled.get(text);
  if (known) return known;
  if (compiled.size >= mostCompiled) compiled.clear();
  const expression = compile(text, "success");
  compiled.set(text, expression);
  return expression;
}
