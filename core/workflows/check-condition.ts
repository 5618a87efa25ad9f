import type { Expression } from "../expressions/compile.js";
import { article } from "../expressions/evaluation.js";
import type { Kind } from "../expressions/values.js";
import type { Shape } from "../shapes/shape.js";
import type { Path } from "../values/paths.js";
import type { Source } from "./source.js";

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

/** Reports a condition that is neither true nor false, which fails its step, and one that is always the same. */
export function checkCondition(
  source: Source,
  { tree, text }: Expression,
  { kinds }: Shape,
  path: Path,
): void {
  const field = path.at(-1);
  if (!conditions.has(String(field))) return;
  const whole = { text, start: 0, end: text.length };
  if (tree.op === "literal" && typeof tree.value === "boolean") {
    // That a call counts as a success whatever comes is a choice.
    if (field === "success") return;
    const message = `This is always ${tree.value}, so it decides nothing.`;
    source.report(path, "never", message, whole, "warning");
  } else if (kinds && kinds.length > 0 && !kinds.includes("boolean")) {
    const meant: Partial<Record<Kind, string>> = {
      number: `${text} != 0`,
      text: `${text} != ""`,
      list: `size(${text}) > 0`,
    };
    const [kind] = kinds as [Kind];
    const hint = meant[kind] ? ` Write ${meant[kind]}.` : "";
    const message = `A condition must be true or false; this is ${article(kind)}.${hint}`;
    source.report(path, "wrong-kind", message, whole, "warning");
  }
}
