import { Budget, BudgetSpent } from "./budget.js";
import { ExpressionError, type ExpressionCode } from "./errors.js";
import type { Node } from "./parse.js";
import type { Kind, Value, ValueMap } from "./values.js";

/** What an evaluation needs from outside: the time and ids. Both must be the same at a replay. */
export interface Surroundings {
  /** Milliseconds since 1970. */
  now(): number;
  /** A new id; `place` names the field and the offset of the call in it, `count` numbers the calls of one evaluation. */
  uuid(place: string, count: number): string;
  /** What the workflow remembers under a key; left out if there is no workflow. */
  remembered?(key: string): ValueMap;
}

/** One evaluation under way. */
export class Evaluation {
  readonly slots: Value[] = [];
  readonly #things = new Set<string>();
  #ids = 0;

  constructor(
    readonly scope: ValueMap,
    readonly surroundings: Surroundings,
    readonly budget = new Budget(),
  ) {}

  readonly isFirst = (thing: string): boolean => {
    const { size } = this.#things;
    return this.#things.add(thing).size > size;
  };

  uuid(place: string): string {
    return this.surroundings.uuid(place, this.#ids++);
  }
}

export type Run = (evaluation: Evaluation) => Value;

/** Turns whatever stopped an evaluation into an error with a place. */
export function located(error: unknown, node: Node): unknown {
  if (error instanceof ExpressionError) return error;
  if (error instanceof BudgetSpent) return new ExpressionError("budget", error.message, node.start, node.end);
  if (error instanceof RangeError) {
    return new ExpressionError(
      "budget",
      "The expression is nested too deep or makes too much.",
      node.start,
      node.end,
    );
  }
  return error;
}

export function fail(code: ExpressionCode, message: string, node: Node): never {
  throw new ExpressionError(code, message, node.start, node.end);
}

/** Names of loop variables, each with its slot. */
export type Locals = ReadonlyMap<string, number>;

/** A kind with its article: "a text", "an object", "null". */
export function article(kind: Kind): string {
  if (kind === "null" || kind === "bytes") return kind;
  return /^[aeiou]/.test(kind) ? `an ${kind}` : `a ${kind}`;
}
