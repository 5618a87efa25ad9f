import type { Expression } from "../expressions/compile.js";
import { article } from "../expressions/evaluation.js";
import type { Kind } from "../expressions/values.js";
import type { Shape } from "../shapes/shape.js";
import type { FieldFinding } from "./problems.js";

/** Fields that hold a condition. */
const conditions = new Set([
  "if",
  "only-if",
  "until",
  "success",
  "found",
  "happened",
  "stop-when",
  "update-if",
]);

/** A condition that is neither true nor false, which fails its step, or one that is always the same. */
export function conditionFindings(
  field: string,
  { tree, text }: Expression,
  { kinds }: Shape,
): FieldFinding[] {
  if (!conditions.has(field)) return [];
  const whole = { severity: "warning", start: 0, end: text.length } as const;
  if (tree.op === "literal" && typeof tree.value === "boolean") {
    // That a call counts as a success whatever comes is a choice.
    if (field === "success") return [];
    return [{ ...whole, code: "never", message: `This is always ${tree.value}, so it decides nothing.` }];
  }
  if (kinds && kinds.length > 0 && !kinds.includes("boolean")) {
    const meant: Partial<Record<Kind, string>> = {
      number: `${text} != 0`,
      text: `${text} != ""`,
      list: `size(${text}) > 0`,
    };
    const [kind] = kinds as [Kind];
    const hint = meant[kind] ? ` Write ${meant[kind]}.` : "";
    const message = `A condition must be true or false; this is ${article(kind)}.${hint}`;
    return [{ ...whole, code: "wrong-kind", message }];
  }
  return [];
}
