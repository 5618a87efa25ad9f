import { compile, type Expression } from "../expressions/compile.js";
import { ExpressionError } from "../expressions/errors.js";
import { references, type Reference } from "../expressions/references.js";
import { parseTemplate, templateReferences, type Template } from "../expressions/templates.js";
import { checkShapes, type Finding, type ShapeScope } from "../shapes/check.js";
import type { Shape } from "../shapes/shape.js";
import { conditionFindings } from "./check-condition.js";
import type { FieldFinding } from "./problems.js";
import { allRoots, checkReference, type Visible } from "./visible.js";

/** Where an expression, or a text with `${…}`, stands: what it can see there, and what is known of that. */
export interface FieldPlace {
  kind: "expression" | "template";
  /** The name of the field, and what it is called in ids made by `uuid()`. */
  key: string;
  label: string;
  visible: Visible;
  /** Names in scope only here, such as `status`. */
  more: readonly string[];
  scope: ShapeScope;
}

/** The text of a field, taken apart; without a part where it cannot be read. */
export interface JudgedField {
  expression?: Expression;
  template?: Template;
  references: Reference[];
  /** What each expression in it gives. */
  results: [Expression, Shape][];
  findings: FieldFinding[];
}

/** Findings that depend on the values that come: they may be right for all that ever do. */
const mayBeRight: ReadonlySet<string> = new Set<Finding["code"]>(["null", "absent", "unused"]);

/** An expression in the text of a field, and where it begins there. */
interface ReadPart {
  expression: Expression;
  offset: number;
}

/** Reads the text of a field, and finds what is wrong with it at its place: in its grammar, its names, and its values. */
export function judgeField(text: string, place: FieldPlace): JudgedField {
  const judged: JudgedField = { references: [], results: [], findings: [] };
  const parts = readParts(text, place, judged);
  for (const reference of judged.references) {
    const message = checkReference(reference, place.visible, place.more);
    if (message)
      judged.findings.push({ severity: "error", code: "reference", message, ...rangeOf(reference) });
  }
  if (judged.findings.length > 0) return judged;
  for (const { expression, offset } of parts) {
    const { findings, result } = checkShapes(expression, place.scope);
    judged.results.push([expression, result]);
    for (const { code, message, start, end } of findings)
      judged.findings.push({
        severity: mayBeRight.has(code) ? "advice" : "warning",
        code,
        message,
        start: start + offset,
        end: end + offset,
      });
    if (judged.expression) judged.findings.push(...conditionFindings(place.key, expression, result));
  }
  if (judged.template) judged.findings.push(...otherTemplates(text, parts, place.visible));
  return judged;
}

function readParts(text: string, { kind, label }: FieldPlace, judged: JudgedField): ReadPart[] {
  try {
    if (kind === "expression") {
      const expression = compile(text, label);
      judged.expression = expression;
      judged.references = references(expression.tree);
      return [{ expression, offset: 0 }];
    }
    judged.template = parseTemplate(text, label);
    judged.references = templateReferences(judged.template);
    return judged.template.parts.flatMap((part) => ("expression" in part ? [part] : []));
  } catch (error) {
    if (!(error instanceof ExpressionError)) throw error;
    judged.findings.push({
      severity: "error",
      code: "expression",
      message: error.message,
      ...rangeOf(error),
    });
    return [];
  }
}

const rangeOf = ({ start, end }: { start: number; end: number }) => ({ start, end });

const otherForm = /\{\{\s{0,20}([\w.[\]'"]{1,200})\s{0,20}\}\}|\$(\w{1,60}(?:\.\w{1,60}){1,20})/g;
/** Whether a text has a value in the form of other tools: it is put in as it stands. */
export const hasOtherForm = (text: string): boolean => text.search(otherForm) >= 0;

/** Values in the form of other tools, such as `{{ inputs.email }}`: they are plain text here. */
function otherTemplates(
  text: string,
  parts: readonly ReadPart[],
  { roots = allRoots, names }: Visible,
): FieldFinding[] {
  let next = 0;
  return [...text.matchAll(otherForm)].flatMap((found) => {
    const code = found[1] ?? found[2] ?? "";
    const start = found.index;
    // Both stand in the order of the text.
    while (next < parts.length && endOf(parts[next]) <= start) next++;
    const isInside = start >= (parts[next]?.offset ?? Infinity);
    const [root = ""] = /^\w+/.exec(code) ?? [];
    if (isInside || !(roots.includes(root) || names.has(root))) return [];
    const message = `This is plain text. Write \${${code}} to put the value in.`;
    return [
      { severity: "warning" as const, code: "plain-text", message, start, end: start + found[0].length },
    ];
  });
}

const endOf = (part: ReadPart | undefined): number => (part ? part.offset + part.expression.text.length : 0);

/** The places of a file's fields, as they were when the file was read. */
export class FieldPlaces {
  readonly #places = new Map<string, FieldPlace & { seen: number }>();

  /** Notes a place. Steps that come into sight later do not belong to it. */
  note(field: string, place: FieldPlace): void {
    this.#places.set(field, { ...place, visible: { ...place.visible }, seen: place.visible.steps.size });
  }

  /**
   * What is wrong with another text in a field that the file has.
   * @param field as in `Problem`, such as `steps[2].only-if`
   * @returns undefined for a field that the file does not have, or that holds no expression
   */
  judge(field: string, text: string): FieldFinding[] | undefined {
    const place = this.#places.get(field);
    if (!place) return undefined;
    const steps = new Set([...place.visible.steps].slice(0, place.seen));
    return judgeField(text, { ...place, visible: { ...place.visible, steps } }).findings;
  }
}
