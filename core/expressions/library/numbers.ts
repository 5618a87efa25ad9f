import type { Value } from "../values.js";
import { compare } from "../values.js";
import { CallFailure, type FunctionEntry } from "./entry.js";

const number = (name = "number") => ({ name, kinds: ["number"] as const });

function rounding(
  name: string,
  help: string,
  examples: FunctionEntry["examples"],
  round: (value: number) => number,
): FunctionEntry {
  return {
    name: `math.${name}`,
    form: "function",
    parameters: [number()],
    result: "number",
    help,
    examples,
    call: ([value]) => (typeof value === "number" ? round(value) + 0 : (value as Value)),
  };
}

function extreme(
  name: string,
  help: string,
  examples: FunctionEntry["examples"],
  better: (order: number) => boolean,
): FunctionEntry {
  return {
    name: `math.${name}`,
    form: "function",
    parameters: [
      { name: "first", kinds: ["number", "list"] },
      { name: "more", kinds: ["number"], rest: true },
    ],
    result: "number",
    help,
    examples,
    call(args, context) {
      const items = args.length === 1 && Array.isArray(args[0]) ? (args[0] as Value[]) : args;
      if (items.length === 0) throw new CallFailure("bad-value", "the list is empty.", 0);
      return items.reduce((best, item) => {
        const order = compare(item, best, context.step);
        if (order === undefined) throw new CallFailure("wrong-kind", "only numbers can be compared here.", 0);
        return better(order) ? item : best;
      });
    },
  };
}

export const numberFunctions: FunctionEntry[] = [
  extreme(
    "least",
    "The smallest of some numbers, or of a list of them.",
    [
      ["math.least(200, 30)", "30"],
      ["math.least([3, 1, 2])", "1"],
    ],
    (order) => order < 0,
  ),
  extreme(
    "greatest",
    "The largest of some numbers, or of a list of them.",
    [
      ["math.greatest(10, 30)", "30"],
      ["math.greatest([3, 1, 2])", "3"],
    ],
    (order) => order > 0,
  ),
  rounding(
    "round",
    "The nearest whole number; halves away from zero.",
    [
      ["math.round(2.5)", "3"],
      ["math.round(-2.5)", "-3"],
    ],
    (value) => Math.sign(value) * Math.round(Math.abs(value)),
  ),
  rounding(
    "floor",
    "The next whole number below.",
    [
      ["math.floor(2.9)", "2"],
      ["math.floor(-2.1)", "-3"],
    ],
    Math.floor,
  ),
  rounding(
    "ceil",
    "The next whole number above.",
    [
      ["math.ceil(2.1)", "3"],
      ["math.ceil(-2.9)", "-2"],
    ],
    Math.ceil,
  ),
  rounding(
    "trunc",
    "The whole number without its fraction.",
    [
      ["math.trunc(2.9)", "2"],
      ["math.trunc(-2.9)", "-2"],
    ],
    Math.trunc,
  ),
  rounding(
    "abs",
    "The number without its sign.",
    [
      ["math.abs(-3)", "3"],
      ["math.abs(3)", "3"],
    ],
    Math.abs,
  ),
];
