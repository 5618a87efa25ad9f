import { compile, type Expression } from "../expressions/compile.js";
import { ExpressionError } from "../expressions/errors.js";
import { references, type Reference } from "../expressions/references.js";
import { parseTemplate, templateReferences, type Template } from "../expressions/templates.js";
import type { JsonObject } from "../values/json.js";
import { printPath, type Path } from "../values/paths.js";
import type { FieldFinding } from "./problems.js";

/** An expression in the text of a field, and where it begins there. */
export interface ReadPart {
  expression: Expression;
  offset: number;
}

/** The text of a field, taken apart; without a part where it cannot be read. */
export interface FieldText {
  kind: "expression" | "template";
  text: string;
  expression?: Expression;
  template?: Template;
  references: readonly Reference[];
  /** The expressions in it, in their order. */
  parts: readonly ReadPart[];
  /** What is wrong with its grammar. */
  findings: readonly FieldFinding[];
}

/** Takes the text of a field apart. @param label what it is called in ids made by `uuid()` */
export function readField(kind: "expression" | "template", text: string, label: string): FieldText {
  try {
    if (kind === "expression") {
      const expression = compile(text, label);
      const parts = [{ expression, offset: 0 }];
      return { kind, text, expression, references: references(expression.tree), parts, findings: [] };
    }
    const template = parseTemplate(text, label);
    const parts = template.parts.flatMap((part) => ("expression" in part ? [part] : []));
    return { kind, text, template, references: templateReferences(template), parts, findings: [] };
  } catch (error) {
    if (!(error instanceof ExpressionError)) throw error;
    const { message } = error;
    const finding = {
      severity: "error" as const,
      code: "expression",
      message,
      start: error.start,
      end: error.end,
    };
    return { kind, text, references: [], parts: [], findings: [finding] };
  }
}

/** The fields of steps as they were read last, by the ways to them from their steps. */
const known = new WeakMap<JsonObject, Map<string, FieldText>>();

/**
 * The same of a field of a step; it is not read again where the step is the same value as when it was read last, as those
 * parts of a file are that did not change.
 * @param path the way to it from its step
 */
export function readFieldOf(
  step: JsonObject,
  path: Path,
  kind: FieldText["kind"],
  text: string,
  label: string,
): FieldText {
  const fields = known.get(step) ?? new Map<string, FieldText>();
  known.set(step, fields);
  const place = printPath(path);
  const before = fields.get(place);
  if (before?.kind === kind && before.text === text) return before;
  const read = readField(kind, text, label);
  fields.set(place, read);
  return read;
}
