import { bodyFieldsOf } from "../apis/body-fields.js";
import { withFixedFields } from "../apis/fixed.js";
import type { Operation, PagesSaid } from "../apis/openapi.js";
import { serverFor } from "../apis/servers.js";
import { compile, type Expression } from "../expressions/compile.js";
import type { JsonObject } from "../values/json.js";
import type { CallStep, DescribedTarget, Pages, ReadyCall } from "./steps.js";

/** What calls of an operation go by, and the credential that they use where a step names none. */
type Target = DescribedTarget & { credential?: string };

/** Expressions of operations, compiled once for their text. */
const compiled = new Map<string, Expression>();
const mostCompiled = 1_000;

/**
 * A call with all that the document of its API says: method, effect, credential, what counts as success, pages. What
 * the step says itself stands over it.
 * @param described missing where the step calls no operation
 */
export function readyCall(step: CallStep, described: Target | undefined): ReadyCall {
  const { pages: given, ...rest } = step;
  if (!described)
    return {
      ...rest,
      effect: step.effect ?? "writes",
      ...(given && given !== "all" ? { pages: given } : {}),
    };
  const { credential, ...target } = described;
  const { operation } = target;
  const using = step.using ?? (credential === undefined ? undefined : [credential]);
  const success =
    step.success ??
    (operation.success === undefined ? undefined : expressionOf(operation.success, "success"));
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
}

/** What calls of an operation go by, as its document says; undefined if it names no server. */
export function targetOf(
  document: JsonObject,
  api: { servers: string[]; credential?: string | undefined },
  operation: Operation,
): Target | undefined {
  const server = serverFor(api, operation);
  if (server === undefined) return undefined;
  return {
    operation,
    server,
    fields: bodyFieldsOf(document, operation),
    withFixedFields: (body) => withFixedFields(document, operation, body),
    ...(api.credential === undefined ? {} : { credential: api.credential }),
  };
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
