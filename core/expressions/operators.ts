import { Exact, own, type JsonObject } from "../values/json.js";
import type { Budget } from "./budget.js";
import type { ExpressionCode } from "./errors.js";
import type { BinarySign } from "./parse.js";
import {
  compare,
  Duration,
  equal,
  isLength,
  isMap,
  isTime,
  kindOfValue,
  Timestamp,
  type Value,
} from "./values.js";

/** Why an operator could not be applied; the evaluator adds the place. */
export class OperatorFault extends Error {
  constructor(
    readonly code: ExpressionCode,
    message: string,
  ) {
    super(message);
  }
}

/** The value of a literal: whole numbers beyond 2^53 keep their digits. */
export function literalValue(value: null | boolean | number | bigint | string | Uint8Array): Value {
  if (typeof value !== "bigint") return value;
  const double = Number(value);
  return Number.isFinite(double) && BigInt(double) === value && Math.abs(double) <= Number.MAX_SAFE_INTEGER
    ? double
    : new Exact(String(value));
}

export function negate(value: Value): Value {
  if (typeof value === "number") return -value;
  if (value instanceof Exact)
    return new Exact(value.digits.startsWith("-") ? value.digits.slice(1) : `-${value.digits}`);
  if (value instanceof Duration) return new Duration(-value.millis);
  throw new OperatorFault("wrong-kind", `- wants a number after it, not ${kindOfValue(value)}.`);
}

type Operate = (a: Value, b: Value, budget: Budget) => Value;

export function binary(sign: BinarySign): Operate {
  return operators[sign];
}

const operators: Record<BinarySign, Operate> = {
  "==": (a, b, budget) => equal(a, b, budget.step),
  "!=": (a, b, budget) => !equal(a, b, budget.step),
  "<": ordered("<", (order) => order < 0),
  "<=": ordered("<=", (order) => order <= 0),
  ">": ordered(">", (order) => order > 0),
  ">=": ordered(">=", (order) => order >= 0),
  in: (a, b, budget) => {
    if (Array.isArray(b)) return (b as Value[]).some((item) => equal(item, a, budget.step));
    if (isMap(b)) {
      if (["text", "number", "boolean"].includes(kindOfValue(a)))
        return own(b as JsonObject, String(a)) !== undefined;
      throw new OperatorFault("wrong-kind", `in wants a key on its left, a text, not ${kindOfValue(a)}.`);
    }
    throw new OperatorFault(
      "wrong-kind",
      `in wants a list or an object on its right, not ${kindOfValue(b)}.${typeof b === "string" ? " text.contains(part) looks into a text." : ""}`,
    );
  },
  "+": add,
  "-": (a, b) => {
    if (a instanceof Timestamp && b instanceof Timestamp) return lengthOf(a.millis - b.millis);
    if (a instanceof Timestamp && b instanceof Duration) return timeOf(a.millis - b.millis);
    if (a instanceof Duration && b instanceof Duration) return lengthOf(a.millis - b.millis);
    return arithmetic("-", a, b, (x, y) => x - y);
  },
  "*": (a, b) => arithmetic("*", a, b, (x, y) => x * y),
  "/": (a, b) => {
    if (b === 0) throw new OperatorFault("divide-by-zero", "Division by zero.");
    return arithmetic("/", a, b, (x, y) => x / y);
  },
  "%": (a, b) => {
    if (b === 0) throw new OperatorFault("divide-by-zero", "The remainder of a division by zero.");
    return arithmetic("%", a, b, (x, y) => x % y);
  },
};

function add(a: Value, b: Value, budget: Budget): Value {
  if (typeof a === "number" && typeof b === "number") return finite(a + b, "+");
  const joins = (value: Value) =>
    typeof value === "string" ||
    typeof value === "boolean" ||
    typeof value === "number" ||
    value instanceof Exact;
  if ((typeof a === "string" && joins(b)) || (typeof b === "string" && joins(a))) {
    const text = `${String(a)}${String(b)}`;
    budget.make(text.length);
    return text;
  }
  if (Array.isArray(a) && Array.isArray(b)) {
    budget.make(a.length + b.length);
    budget.step((a.length + b.length) >> 1);
    return [...(a as Value[]), ...(b as Value[])];
  }
  if (a instanceof Uint8Array && b instanceof Uint8Array) {
    budget.make(a.length + b.length);
    const joined = new Uint8Array(a.length + b.length);
    joined.set(a);
    joined.set(b, a.length);
    return joined;
  }
  if (a instanceof Duration && b instanceof Duration) return lengthOf(a.millis + b.millis);
  if (a instanceof Timestamp && b instanceof Duration) return timeOf(a.millis + b.millis);
  if (a instanceof Duration && b instanceof Timestamp) return timeOf(a.millis + b.millis);
  if (a === null || b === null) {
    throw new OperatorFault(
      "null-value",
      `One side of + is null. Use default(…, "") to give a value for that case.`,
    );
  }
  return arithmetic("+", a, b, (x, y) => x + y);
}

function timeOf(millis: number): Timestamp {
  if (isTime(millis)) return new Timestamp(millis);
  throw new OperatorFault("bad-value", "The result is a time out of range: the years 1 to 9999.");
}

function lengthOf(millis: number): Duration {
  if (isLength(millis)) return new Duration(millis);
  throw new OperatorFault("bad-value", "The result is a duration out of range: over 10,000 years.");
}

function ordered(sign: string, holds: (order: number) => boolean): Operate {
  return (a, b, budget) => {
    const order = compare(a, b, budget.step);
    if (order !== undefined) return holds(order);
    if (a === null || b === null) {
      throw new OperatorFault(
        "null-value",
        `One side of ${sign} is null, which has no order. Use default(…, …) to give a value for that case.`,
      );
    }
    const kinds = [kindOfValue(a), kindOfValue(b)];
    const hint = !kinds.includes("text")
      ? ""
      : kinds.includes("timestamp")
        ? " timestamp(…) reads a time from a text."
        : kinds.includes("number")
          ? " number(…) turns a text into a number."
          : "";
    throw new OperatorFault("wrong-kind", `${sign} cannot compare ${kinds.join(" with ")}.${hint}`);
  };
}

function arithmetic(sign: string, a: Value, b: Value, operate: (x: number, y: number) => number): Value {
  if (typeof a === "number" && typeof b === "number") return finite(operate(a, b), sign);
  const exact = a instanceof Exact ? a : b instanceof Exact ? b : undefined;
  if (exact) {
    throw new OperatorFault(
      "exact-arithmetic",
      `${exact.digits} has more digits than arithmetic can use. It can be compared, sent on, and turned into text.`,
    );
  }
  if (a === null || b === null) {
    throw new OperatorFault(
      "null-value",
      `One side of ${sign} is null. Use default(…, 0) to give a value for that case.`,
    );
  }
  const sides = [a, b];
  const hint = sides.some((side) => side instanceof Timestamp)
    ? ` A time takes a duration: time ${sign} duration("1d").`
    : sides.some((side) => typeof side === "string")
      ? " number(…) turns a text into a number."
      : "";
  throw new OperatorFault(
    "wrong-kind",
    `${sign} wants numbers, not ${kindOfValue(a)} and ${kindOfValue(b)}.${hint}`,
  );
}

function finite(value: number, sign: string): number {
  if (Number.isFinite(value)) return value;
  throw new OperatorFault("bad-value", `The result of ${sign} is too large for a number.`);
}
