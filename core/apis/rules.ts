import { compile, type Expression } from "../expressions/compile.js";
import { ExpressionError } from "../expressions/errors.js";
import { evaluateToJson } from "../expressions/templates.js";
import { isObject, type Json, type JsonObject } from "../values/json.js";
import { textAt } from "./references.js";

/** What must hold of a value before it is sent (`x-ckettle-rule`): an expression over `value`, and what to say otherwise. */
export interface Rule {
  holds: string;
  otherwise: string;
}

/** The rule of a parameter or of a field's schema. */
export function ruleOf(schema: JsonObject): Rule | undefined {
  const raw = schema["x-ckettle-rule"];
  if (!isObject(raw)) return undefined;
  const holds = textAt(raw, "holds");
  if (holds === undefined) return undefined;
  return { holds, otherwise: textAt(raw, "otherwise") ?? `does not hold: ${holds}` };
}

/** Expressions of rules, compiled once for their text. */
const compiled = new Map<string, Expression>();
const mostCompiled = 1_000;

/** What is wrong with a value by its rule; undefined if nothing is. */
export function ruleFault({ holds, otherwise }: Rule, value: Json, now: number): string | undefined {
  try {
    let expression = compiled.get(holds);
    if (!expression) {
      if (compiled.size >= mostCompiled) compiled.clear();
      compiled.set(holds, (expression = compile(holds, "x-ckettle-rule")));
    }
    const fits = evaluateToJson(expression, { value }, { now: () => now, uuid: () => "" });
    return fits === true ? undefined : otherwise;
  } catch (error) {
    if (!(error instanceof ExpressionError)) throw error;
    return `${otherwise} (its rule cannot be computed: ${error.message})`;
  }
}
