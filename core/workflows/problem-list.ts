import { bounds } from "../values/bounds.js";
import { printPath, type Path } from "../values/paths.js";
import type { Problem } from "./problems.js";

/** The problems of a text as they are found, by their offsets in it. */
export class ProblemList {
  readonly problems: Problem[];

  constructor(
    readonly text: string,
    readonly lineStarts: readonly number[],
    known: readonly Problem[] = [],
  ) {
    this.problems = [...known];
  }

  /** Whether as many problems are known as are reported. */
  get isFull(): boolean {
    return this.problems.length >= bounds.fileProblems;
  }

  /** Notes a problem from one offset to another. The same words are said once a line. */
  at(
    from: number,
    to: number,
    code: string,
    message: string,
    path: Path,
    severity: Problem["severity"] = "error",
  ): void {
    if (this.isFull) return;
    const start = this.place(from);
    if (this.problems.some((known) => known.line === start.line && known.message === message)) return;
    const end = this.place(Math.max(to, from + 1));
    this.problems.push({
      severity,
      code,
      message,
      line: start.line,
      column: start.column,
      endLine: end.line,
      endColumn: end.column,
      field: printPath(path),
    });
  }

  /** The line and the column of an offset, both from 1. */
  place(offset: number): { line: number; column: number } {
    let [low, high] = [0, this.lineStarts.length - 1];
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if ((this.lineStarts[middle] as number) <= offset) low = middle;
      else high = middle - 1;
    }
    return { line: low + 1, column: offset - (this.lineStarts[low] as number) + 1 };
  }
}

/** Where each line of a text begins. */
export function lineStartsOf(text: string): number[] {
  const starts = [0];
  for (let at = text.indexOf("\n"); at >= 0; at = text.indexOf("\n", at + 1)) starts.push(at + 1);
  return starts;
}
