/** The stable codes of what can be wrong with an expression. */
export type ExpressionCode =
  | "syntax"
  | "unknown-name"
  | "unknown-function"
  | "no-such-key"
  | "no-such-index"
  | "null-value"
  | "wrong-kind"
  | "wrong-arguments"
  | "divide-by-zero"
  | "exact-arithmetic"
  | "bad-value"
  | "budget"
  | "too-large";

/**
 * What is wrong with an expression, and where. `start` and `end` are offsets (UTF-16 code units) in the text as the
 * person wrote it: the whole template, not the part.
 */
export class ExpressionError extends Error {
  override name = "ExpressionError";
  constructor(
    readonly code: ExpressionCode,
    message: string,
    public start: number,
    public end: number,
  ) {
    super(message);
  }

  /** The same error, placed in a longer text that holds the expression at `offset`. */
  shifted(offset: number): ExpressionError {
    return new ExpressionError(this.code, this.message, this.start + offset, this.end + offset);
  }
}
