import { compile, type Expression } from "../../../expressions/compile.js";
import type { PagesSaid } from "../../../apis/openapi.js";
import { noPages, type CallStep, type Pages, type ReadyCall } from "../../../workflows/steps.js";
import type { StepLog } from "../../replayed.js";
import { OperationMissing } from "../../ports.js";
import type { Frame } from "../../frame.js";
import type { Walk } from "../../walk.js";

/** Expressions of operations, compiled once for their text. */
const compiled = new Map<string, Expression>();
const mostCompiled = 1_000;

/**
 * A call with all that the document of its API says: method, effect, credential, what counts as success. What the step
 * says itself stands over it.
 */
export async function readyCall(walk: Walk, step: CallStep, frame: Frame, log: StepLog): Promise<ReadyCall> {
  const { pages: given, ...rest } = step;
  if (!step.operation)
    return {
      ...rest,
      effect: step.effect ?? "writes",
      ...(given && given !== "all" ? { pages: given } : {}),
    };
  const { api, id } = step.operation;
  try {
    const described = await walk.ports.operation(api, id, walk.log.started?.apis?.[api]);
    const { credential, ...target } = described;
    const { operation } = target;
    const using = step.using ?? (credential === undefined ? undefined : [credential]);
    const success =
      step.success ??
      (operation.success === undefined ? undefined : expressionOf(operation.success, "success"));
    if (given === "all" && !operation.pages) throw new OperationMissing(noPages(api, id));
    const pages = given === "all" && operation.pages ? pagesOf(operation.pages) : given;
    return {
      ...rest,
      method: operation.method,
      effect: step.effect ?? operation.effect,
      described: target,
      ...(using === undefined ? {} : { using }),
      ...(success === undefined ? {} : { success }),
      ...(pages && pages !== "all" ? { pages } : {}),
    };
  } catch (error) {
    if (error instanceof OperationMissing)
      return walk.write.fail(frame, step, log, { code: "operation", message: error.message });
    throw error;
  }
}

/** How pages go on, as the document says it. */
function pagesOf({ by, items, next, param = by, in: place = "query", size }: PagesSaid): Pages {
  return {
    by,
    param,
    in: place,
    ...(items === undefined ? {} : { items: expressionOf(items, "pages.items") }),
    ...(next === undefined ? {} : { next: expressionOf(next, "pages.next") }),
    ...(size === undefined ? {} : { size }),
  };
}

function expressionOf(text: string, field: string): Expression {
  const key = `${field} ${text}`;
  const known = compiled.get(key);
  if (known) return known;
  if (compiled.size >= mostCompiled) compiled.clear();
  const expression = compile(text, field);
  compiled.set(key, expression);
  return expression;
}
