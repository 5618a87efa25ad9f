import { compile, type Expression } from "../expressions/compile.js";
import { ExpressionError } from "../expressions/errors.js";
import { evaluateToJson } from "../expressions/templates.js";
import type { ValueMap } from "../expressions/values.js";
import { bounds } from "../values/bounds.js";
import { isObject, printJson, type Json, type JsonObject } from "../values/json.js";
import { textAt } from "./references.js";

/** Choices that another operation gives (`x-ckettle-choices-from`). */
export interface ChoicesFrom {
  /** The operation, which only reads; of the same API without its name. */
  operation: string;
  /** What it is given. */
  parameters: JsonObject;
  /** Where the list is, an expression over `body`; else the body itself, or its only list. */
  items?: string;
  /** Expressions over an `item`. */
  value: string;
  label: string;
}

/** One of the choices: what is sent, and what people see. */
export interface Choice {
  value: Json;
  label: string;
}

/** The source of the choices of a parameter, or of a field's schema. */
export function choicesFromOf(schema: JsonObject): ChoicesFrom | undefined {
  const raw = schema["x-ckettle-choices-from"];
  if (!isObject(raw)) return undefined;
  const operation = textAt(raw, "operation");
  const value = textAt(raw, "value");
  if (operation === undefined || value === undefined) return undefined;
  const { parameters } = raw;
  const items = textAt(raw, "items");
  return {
    operation,
    parameters: isObject(parameters) ? parameters : {},
    ...(items === undefined ? {} : { items }),
    value,
    label: textAt(raw, "label") ?? value,
  };
}

/**
 * The choices in a response, at most a thousand.
 * @throws ExpressionError where an expression cannot be read or computed
 */
export function choicesIn({ items, value, label }: ChoicesFrom, body: Json): Choice[] {
  const evaluate = (expression: Expression, scope: ValueMap): Json =>
    evaluateToJson(expression, scope, { now: () => 0, uuid: () => "" }) ?? null;
  const [ofValue, ofLabel] = [compile(value), compile(label)];
  const list = items === undefined ? onlyList(body) : evaluate(compile(items), { body });
  if (!Array.isArray(list))
    throw new ExpressionError(
      "wrong-kind",
      "The response holds no list of choices; say where with items.",
      0,
      0,
    );
  return list.slice(0, bounds.choices).map((item) => {
    const shown = evaluate(ofLabel, { item });
    return {
      value: evaluate(ofValue, { item }),
      label: typeof shown === "string" ? shown : printJson(shown),
    };
  });
}

function onlyList(body: Json): Json {
  if (!isObject(body)) return body;
  const lists = Object.values(body).filter((one) => Array.isArray(one));
  return lists.length === 1 ? (lists[0] as Json) : null;
}
