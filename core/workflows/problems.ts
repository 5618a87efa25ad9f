import type { Path } from "../values/paths.js";
/**
 * Something in a workflow file: what is wrong, and keeps it from being published (`error`); what will fail when it runs, or do
 * nothing, by all that is known (`warning`); what may fail for some values, or is left over (`advice`). Lines and columns count
 * from 1.
 */
export interface Problem {
  severity: "error" | "warning" | "advice";
  /** A stable code: `yaml`, `unknown-key`, `wrong-value`, `duplicate-step`, `reference`, `duration`, `expression`, … */
  code: string;
  message: string;
  line: number;
  column: number;
  endLine: number;
  endColumn: number;
  /** The field, as in `steps[2].retry.wait`. */
  field: string;
}

/** Something that is wrong in the text of one field; `start` and `end` are offsets in that text. */
export interface FieldFinding extends Pick<Problem, "severity" | "code" | "message"> {
  start: number;
  end: number;
}

/**
 * Prints a problem on one line, as compilers do: `file:line:column: error: message`.
 * @param paint marks the word for its severity
 */
export function printProblem(
  { line, column, severity, message }: Problem,
  file: string,
  paint: (severity: Problem["severity"]) => string = (word) => word,
): string {
  return `${file}:${line}:${column}: ${paint(severity)}: ${message}`;
}

/** Where a step is read that is not known there, and the steps that are. */
export interface UnknownRead {
  /** The field that reads it. */
  path: Path;
  name: string;
  known: readonly string[];
}
