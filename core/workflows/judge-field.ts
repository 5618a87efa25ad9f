import type { Expression } from "../expressions/compile.js";
import { checkShapes, type Finding, type ShapeScope } from "../shapes/check.js";
import type { Shape } from "../shapes/shape.js";
import { conditionFindings } from "./check-condition.js";
import type { FieldFinding } from "./problems.js";
import { readField, type FieldText, type ReadPart } from "./read-field.js";
import { allRoots, checkReference, type Visible } from "./visible.js";

/** Where an expression, or a text with `${…}`, stands: what it can see there, and what is known of that. */
export interface FieldPlace {
  kind: "expression" | "template";
  /** The name of the field. */
  key: string;
  /** The way to it from its step: what it is called in ids made by `uuid()`. */
  label: string;
  visible: Visible;
  /** Names in scope only here, such as `status`. */
  more: readonly string[];
  scope: ShapeScope;
}

/** The text of a field as it is at its place. */
export interface JudgedField {
  read: FieldText;
  /** What each expression in it gives. */
  results: [Expression, Shape][];
  findings: FieldFinding[];
}

/** Findings that depend on the values that come: they may be right for all that ever do. */
const mayBeRight: ReadonlySet<string> = new Set<Finding["code"]>(["null", "absent", "unused"]);

/** Finds what is wrong with the text of a field at its place: in its grammar, its names, and its values. */
export function judgeField(
  text: string,
  place: FieldPlace,
  read = readField(place.kind, text, place.label),
): JudgedField {
  const judged: JudgedField = { read, results: [], findings: [...read.findings] };
  for (const reference of read.references) {
    const message = checkReference(reference, place.visible, place.more);
    if (message)
      judged.findings.push({ severity: "error", code: "reference", message, ...rangeOf(reference) });
  }
  if (judged.findings.length > 0) return judged;
  for (const { expression, offset } of read.parts) {
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
    if (read.expression) judged.findings.push(...conditionFindings(place.key, expression, result));
  }
  if (read.template) judged.findings.push(...otherTemplates(text, read.parts, place.visible));
  return judged;
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
  readonly #places = new Map<string, { place: FieldPlace; visible: Visible; seen: number }>();

  /** Notes a place. Steps that come into sight later do not belong to it. */
  note(field: string, place: FieldPlace): void {
    const { steps, allSteps, names, inputs, roots } = place.visible;
    this.#places.set(field, { place, visible: { steps, allSteps, names, inputs, roots }, seen: steps.size });
  }

  /**
   * What is wrong with another text in a field that the file has.
   * @param field as in `Problem`, such as `steps[2].only-if`
   * @returns undefined for a field that the file does not have, or that holds no expression
   */
  judge(field: string, text: string): FieldFinding[] | undefined {
    const noted = this.#places.get(field);
    if (!noted) return undefined;
    const steps = new Set([...noted.visible.steps].slice(0, noted.seen));
    return judgeField(text, { ...noted.place, visible: { ...noted.visible, steps } }).findings;
  }
}
