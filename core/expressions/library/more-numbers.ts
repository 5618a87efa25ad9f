import { Exact } from "../../values/json.js";
import { compare, kindOfValue, type Value } from "../values.js";
import { CallFailure, type FunctionEntry } from "./entry.js";
import { any, define, list, number } from "./define.js";

/** A whole number as the 64 bits that bit functions work on. */
function bits(value: Value, argument: number): bigint {
  if (typeof value === "number" && Number.isInteger(value)) return BigInt(value);
  if (value instanceof Exact && /^-?\d+$/.test(value.digits)) return BigInt(value.digits);
  throw new CallFailure("wrong-kind", "bits are those of whole numbers.", argument);
}

function fromBits(value: bigint): number | Exact {
  const signed = BigInt.asIntN(64, value);
  const double = Number(signed);
  return Number.isSafeInteger(double) ? double : new Exact(String(signed));
}

function bitwise(
  name: string,
  help: string,
  examples: FunctionEntry["examples"],
  operate: (a: bigint, b: bigint) => bigint,
): FunctionEntry {
  return define(
    `math.${name}`,
    "function",
    [number("first"), number("second")],
    "number",
    help,
    examples,
    ([a, b]: [Value, Value]) => fromBits(operate(bits(a, 0), bits(b, 1))),
  );
}

function shift(
  name: string,
  help: string,
  examples: FunctionEntry["examples"],
  operate: (a: bigint, by: bigint) => bigint,
): FunctionEntry {
  return define(
    `math.${name}`,
    "function",
    [number(), number("by")],
    "number",
    help,
    examples,
    ([a, b]: [Value, Value]) => {
      const by = bits(b, 1);
      if (by < 0n) throw new CallFailure("bad-value", "a shift is by 0 bits or more.", 1);
      return by > 63n ? 0 : fromBits(operate(BigInt.asIntN(64, bits(a, 0)), by));
    },
  );
}

function test(
  name: string,
  help: string,
  examples: FunctionEntry["examples"],
  holds: (value: number) => boolean,
): FunctionEntry {
  return define(`math.${name}`, "function", [number()], "boolean", help, examples, ([value]: [Value]) =>
    holds(Number(String(value))),
  );
}

function ofList(
  name: string,
  help: string,
  examples: FunctionEntry["examples"],
  better: (order: number) => boolean,
): FunctionEntry {
  return define(name, "both", [list()], "any", help, examples, ([items]: [Value[]], context) => {
    context.step(items.length);
    if (items.length === 0) return null;
    return items.reduce((best, item) => {
      const order = compare(item, best, context.step);
      if (order === undefined)
        throw new CallFailure(
          item === null || best === null ? "null-value" : "wrong-kind",
          `${kindOfValue(item)} and ${kindOfValue(best)} cannot be compared.`,
          0,
        );
      return better(order) ? item : best;
    });
  });
}

export const moreNumberFunctions: FunctionEntry[] = [
  define(
    "average",
    "both",
    [list()],
    "any",
    "The mean of a list of numbers; of an empty list null.",
    [
      ["average([1, 2, 6])", "3"],
      ["average([])", "null"],
    ],
    ([items]: [Value[]], context) => {
      context.step(items.length);
      let total = 0;
      items.forEach((item, index) => {
        if (typeof item !== "number")
          throw new CallFailure("wrong-kind", `item ${index} is ${kindOfValue(item)}, not a number.`, 0);
        total += item;
      });
      return items.length === 0 ? null : total / items.length;
    },
  ),
  ofList(
    "least",
    "The smallest item of a list; of an empty list null.",
    [
      ["least([3, 1, 2])", "1"],
      ["least([])", "null"],
    ],
    (order) => order < 0,
  ),
  ofList(
    "greatest",
    "The largest item of a list; of an empty list null.",
    [
      ['["b", "c", "a"].greatest()', '"c"'],
      ["greatest([])", "null"],
    ],
    (order) => order > 0,
  ),
  define(
    "math.sign",
    "function",
    [number()],
    "number",
    "-1, 0 or 1: on which side of zero a number is.",
    [
      ["math.sign(-3)", "-1"],
      ["math.sign(0)", "0"],
    ],
    ([value]: [Value]) => Math.sign(Number(String(value))) + 0,
  ),
  define(
    "math.sqrt",
    "function",
    [number()],
    "number",
    "The square root of a number that is not negative.",
    [
      ["math.sqrt(9)", "3"],
      ["math.sqrt(2.25)", "1.5"],
    ],
    ([value]: [Value]) => {
      const root = Math.sqrt(Number(String(value)));
      if (Number.isNaN(root)) throw new CallFailure("bad-value", "a negative number has no square root.", 0);
      return root;
    },
  ),
  test(
    "isNaN",
    'Whether a number is none, as double("NaN") is.',
    [
      ["math.isNaN(1)", "false"],
      ['math.isNaN(double("NaN"))', "true"],
    ],
    Number.isNaN,
  ),
  test(
    "isInf",
    "Whether a number is infinite.",
    [
      ["math.isInf(1)", "false"],
      ['math.isInf(double("Infinity"))', "true"],
    ],
    (value) => Math.abs(value) === Infinity,
  ),
  test(
    "isFinite",
    "Whether a number is neither infinite nor none.",
    [
      ["math.isFinite(1)", "true"],
      ['math.isFinite(double("NaN"))', "false"],
    ],
    Number.isFinite,
  ),
  bitwise(
    "bitAnd",
    "The bits that both whole numbers have.",
    [
      ["math.bitAnd(6, 3)", "2"],
      ["math.bitAnd(1, 2)", "0"],
    ],
    (a, b) => a & b,
  ),
  bitwise(
    "bitOr",
    "The bits that either whole number has.",
    [
      ["math.bitOr(6, 3)", "7"],
      ["math.bitOr(0, 0)", "0"],
    ],
    (a, b) => a | b,
  ),
  bitwise(
    "bitXor",
    "The bits that only one of two whole numbers has.",
    [
      ["math.bitXor(6, 3)", "5"],
      ["math.bitXor(1, 1)", "0"],
    ],
    (a, b) => a ^ b,
  ),
  define(
    "math.bitNot",
    "function",
    [number()],
    "number",
    "All 64 bits of a whole number turned round.",
    [
      ["math.bitNot(0)", "-1"],
      ["math.bitNot(-2)", "1"],
    ],
    ([value]: [Value]) => fromBits(~bits(value, 0)),
  ),
  shift(
    "bitShiftLeft",
    "The bits moved to the left; what falls out of 64 is gone.",
    [
      ["math.bitShiftLeft(1, 4)", "16"],
      ["math.bitShiftLeft(1, 64)", "0"],
    ],
    (a, by) => a << by,
  ),
  shift(
    "bitShiftRight",
    "The bits moved to the right, with zeros from the left.",
    [
      ["math.bitShiftRight(16, 2)", "4"],
      ["math.bitShiftRight(1, 1)", "0"],
    ],
    (a, by) => BigInt.asUintN(64, a) >> by,
  ),
  define(
    "uint",
    "function",
    [any()],
    "number",
    "A whole number from 0 on, cut toward zero.",
    [
      ["uint(3.9)", "3"],
      ['uint("7")', "7"],
    ],
    ([value]: [Value]) => {
      const given = typeof value === "string" && /^\d+$/.test(value) ? BigInt(value) : value;
      const cut =
        typeof given === "bigint"
          ? given
          : given instanceof Exact
            ? BigInt(given.digits.split(".")[0] ?? "0")
            : typeof given === "number" && Number.isFinite(given)
              ? BigInt(Math.trunc(given))
              : undefined;
      if (cut === undefined) throw new CallFailure("bad-value", "this is not a number from 0 on.", 0);
      if (cut < 0n || cut > 18446744073709551615n || (typeof value === "number" && value < 0))
        throw new CallFailure("bad-value", "the number is out of range: 0 to 2^64 - 1.", 0);
      const double = Number(cut);
      return Number.isSafeInteger(double) ? double : new Exact(String(cut));
    },
  ),
];
