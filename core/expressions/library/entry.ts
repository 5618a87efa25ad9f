import type { ExpressionCode } from "../errors.js";
import type { Kind, Value } from "../values.js";

/** What a function may use besides its arguments. */
export interface CallContext {
  /** Spends steps of the evaluation's budget. */
  step(count: number): void;
  /** Whether this evaluation asks for a thing for the first time, such as for the pattern of a regular expression. */
  isFirst(thing: string): boolean;
  /** Spends size: characters, bytes and items made. */
  make(count: number): void;
  /** The evaluation's time, in milliseconds since 1970. */
  now(): number;
  uuid(): string;
  /** What the workflow keeps under a key. */
  remembered(key: string): Value;
}

export interface Parameter {
  name: string;
  kinds: "any" | readonly Kind[];
  optional?: boolean;
  rest?: boolean;
}

/** One function of the library. The reference page, completion, the check and the tests are made from these. */
export interface FunctionEntry {
  name: string;
  /** How it is written: `name(x)`, `x.name()`, or either. A method's first parameter is its receiver. */
  form: "function" | "method" | "both";
  parameters: readonly Parameter[];
  result: Kind | "any";
  /** One line of help. */
  help: string;
  /** Pairs of an expression and its result as JSON text; each is run as a test. */
  examples: readonly (readonly [expression: string, result: string])[];
  call(args: Value[], context: CallContext): Value;
}

/** Why a function could not do its work; the evaluator adds the place. */
export class CallFailure extends Error {
  constructor(
    readonly code: ExpressionCode,
    message: string,
    /** The index of the argument at fault, where it is one. */
    readonly argument?: number,
  ) {
    super(message);
  }
}
