import { Budget, BudgetSpent, limits } from "./budget.js";
import { compile, type Expression } from "./compile.js";
import { ExpressionError } from "./errors.js";
import type { Surroundings } from "./evaluation.js";
import { references, type Reference } from "./references.js";
import { NotJson, toJson, toText, type Value, type ValueMap } from "./values.js";
import type { Json } from "../values/json.js";

export type TemplatePart = { text: string } | { expression: Expression; offset: number };

/** A text with `${ … }` parts, made ready to run. */
export interface Template {
  readonly source: string;
  readonly parts: readonly TemplatePart[];
  /** The one expression of a text that is exactly one `${…}` and so keeps its value's kind. */
  readonly alone: Expression | undefined;
}

/**
 * Splits a template into its texts and the sources of its expressions. `$${` is a plain `${`.
 * @throws ExpressionError if a `${` is not closed
 */
export function splitTemplate(source: string): ({ text: string } | { code: string; offset: number })[] {
  const parts: ({ text: string } | { code: string; offset: number })[] = [];
  let literal = "";
  let at = 0;
  while (at < source.length) {
    if (source.startsWith("$${", at)) {
      literal += "${";
      at += 3;
    } else if (source.startsWith("${", at)) {
      if (literal) parts.push({ text: literal });
      literal = "";
      const offset = at + 2;
      const end = closingBrace(source, offset);
      parts.push({ code: source.slice(offset, end), offset });
      at = end + 1;
    } else literal += source[at++];
  }
  if (literal) parts.push({ text: literal });
  return parts;
}

/**
 * Parses a template and compiles its expressions.
 * @throws ExpressionError placed in the whole text
 */
export function parseTemplate(source: string, label = ""): Template {
  const parts = splitTemplate(source).map((part): TemplatePart => {
    if ("text" in part) return part;
    const { code, offset } = part;
    try {
      return { expression: compile(code, label, offset), offset };
    } catch (error) {
      throw error instanceof ExpressionError ? error.shifted(offset) : error;
    }
  });
  const only = parts.length === 1 ? parts[0] : undefined;
  return { source, parts, alone: only && "expression" in only ? only.expression : undefined };
}

/** The place of the `}` that ends an expression: braces nest, and quoted texts do not count. */
function closingBrace(source: string, from: number): number {
  let depth = 0;
  for (let at = from; at < source.length; at++) {
    const character = source[at] as string;
    if (character === '"' || character === "'") {
      const end = closingQuote(source, at);
      if (end < 0) break;
      at = end;
    } else if (character === "{") depth++;
    else if (character === "}" && depth-- === 0) return at;
  }
  throw new ExpressionError(
    "syntax",
    "This ${ is not closed by a }. Write $${ where ${ is meant as text.",
    from - 2,
    source.length,
  );
}

function closingQuote(source: string, from: number): number {
  const quote = source[from] as string;
  const triple = source.startsWith(quote.repeat(3), from) ? quote.repeat(3) : quote;
  const raw = /[rR]$/.test(source.slice(Math.max(0, from - 1), from));
  for (let at = from + triple.length; at < source.length; at++) {
    if (source[at] === "\\" && !raw) at++;
    else if (source.startsWith(triple, at)) return at + triple.length - 1;
  }
  return -1;
}

/** Runs one expression; what it gave becomes JSON at once. Undefined for an empty optional. */
export function evaluateToJson(
  expression: Expression,
  scope: ValueMap,
  surroundings: Surroundings,
): Json | undefined {
  return leaving(expression, toJson, expression.evaluate(scope, surroundings));
}

/** Takes a value out of an expression; what cannot leave it is an error of the whole expression. */
function leaving<T>(expression: Expression, take: (value: Value) => T, value: Value): T {
  try {
    return take(value);
  } catch (error) {
    if (error instanceof NotJson)
      throw new ExpressionError("wrong-kind", error.message, 0, expression.text.length);
    if (error instanceof BudgetSpent || error instanceof RangeError) {
      throw new ExpressionError(
        "budget",
        "The value is too large to be sent or stored.",
        0,
        expression.text.length,
      );
    }
    throw error;
  }
}

/** The value of a template: of a lone `${…}` its own kind, else text. Undefined for an empty optional. */
export function renderTemplate(
  template: Template,
  scope: ValueMap,
  surroundings: Surroundings,
): Json | undefined {
  const { alone, parts } = template;
  if (alone) {
    const offset = (parts[0] as { offset: number }).offset;
    return atOffset(offset, () => evaluateToJson(alone, scope, surroundings));
  }
  // The parts share what one expression may spend.
  const budget = new Budget();
  let size = 0;
  const texts = parts.map((part) => {
    if ("text" in part) return part.text;
    const text = partText(part, scope, surroundings, budget);
    size += text.length;
    if (size > limits.size)
      throw new ExpressionError(
        "budget",
        `The text is too large: more than ${limits.size.toLocaleString("en")} characters come together in it.`,
        part.offset,
        part.offset + part.expression.text.length,
      );
    return text;
  });
  return texts.join("");
}

/** The text of one expression part, for callers that encode the parts by their place (a URL). */
export function partText(
  part: { expression: Expression; offset: number },
  scope: ValueMap,
  surroundings: Surroundings,
  budget?: Budget,
): string {
  return atOffset(part.offset, () =>
    leaving(part.expression, toText, part.expression.evaluate(scope, surroundings, budget)),
  );
}

function atOffset<T>(offset: number, run: () => T): T {
  try {
    return run();
  } catch (error) {
    throw error instanceof ExpressionError ? error.shifted(offset) : error;
  }
}

/** The paths that a template's expressions read, placed in the whole text. */
export function templateReferences(template: Template): Reference[] {
  return template.parts.flatMap((part) =>
    "text" in part
      ? []
      : references(part.expression.tree).map((found) => ({
          ...found,
          start: found.start + part.offset,
          end: found.end + part.offset,
        })),
  );
}
