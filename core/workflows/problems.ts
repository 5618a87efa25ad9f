/** Something in a workflow file that is wrong (`error`) or worth a look (`advice`). Lines and columns count from 1. */
export interface Problem {
  severity: "error" | "advice";
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

/** Prints a problem on one line, as compilers do: `file:line:column: error: message`. */
export function printProblem(problem: Problem, file: string): string {
  return `${file}:${problem.line}:${problem.column}: ${problem.severity}: ${problem.message}`;
}
