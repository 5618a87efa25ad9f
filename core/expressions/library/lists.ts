import { compare, equal, kindOfValue, Optional, type Value } from "../values.js";
import { CallFailure, type FunctionEntry } from "./entry.js";

const list = { name: "list", kinds: ["list"] as const };

export const listFunctions: FunctionEntry[] = [
  {
    name: "size",
    form: "both",
    parameters: [{ name: "value", kinds: ["text", "bytes", "list", "object"] }],
    result: "number",
    help: "How many characters, bytes, items or keys there are.",
    examples: [
      ["size([1, 2])", "2"],
      ['"Eyrie".size()', "5"],
    ],
    call([value], context) {
      if (typeof value === "string") {
        context.step(value.length);
        let count = 0;
        for (const _ of value) count++;
        return count;
      }
      if (Array.isArray(value) || value instanceof Uint8Array) return value.length;
      return Object.keys(value as object).length;
    },
  },
  {
    name: "sum",
    form: "both",
    parameters: [list],
    result: "number",
    help: "The sum of a list of numbers; of an empty list 0.",
    examples: [
      ["sum([1, 2.5])", "3.5"],
      ["sum([])", "0"],
    ],
    call([items], context) {
      context.step((items as Value[]).length);
      return (items as Value[]).reduce<number>((total, item, index) => {
        if (typeof item === "number") return total + item;
        throw new CallFailure("wrong-kind", `item ${index} is ${kindOfValue(item)}, not a number.`, 0);
      }, 0);
    },
  },
  {
    name: "first",
    form: "method",
    parameters: [list],
    result: "optional",
    help: "The first item, as an optional value.",
    examples: [
      ["[7, 8].first().orValue(0)", "7"],
      ["[].first().orValue(0)", "0"],
    ],
    call: ([items]) => optionalItem(items as Value[], 0),
  },
  {
    name: "last",
    form: "method",
    parameters: [list],
    result: "optional",
    help: "The last item, as an optional value.",
    examples: [
      ["[7, 8].last().orValue(0)", "8"],
      ["[].last().hasValue()", "false"],
    ],
    call: ([items]) => optionalItem(items as Value[], (items as Value[]).length - 1),
  },
  {
    name: "distinct",
    form: "method",
    parameters: [list],
    result: "list",
    help: "The items without repeats, in their order.",
    examples: [
      ["[1, 2, 1].distinct()", "[1,2]"],
      ['["a", "A"].distinct()', '["a","A"]'],
    ],
    call([items], context) {
      const seen = new Set<Value>();
      const kept: Value[] = [];
      for (const item of items as Value[]) {
        context.step(1);
        if (item === null || typeof item !== "object") {
          if (seen.has(item)) continue;
          seen.add(item);
        } else if (kept.some((other) => equal(other, item, context.step))) continue;
        kept.push(item);
      }
      return kept;
    },
  },
  {
    name: "sort",
    form: "method",
    parameters: [list],
    result: "list",
    help: "The items in rising order; all of one kind.",
    examples: [
      ["[3, 1, 2].sort()", "[1,2,3]"],
      ['["b", "a"].sort()', '["a","b"]'],
    ],
    call([items], context) {
      context.make((items as Value[]).length);
      return [...(items as Value[])].sort((a, b) => {
        context.step(1);
        const order = compare(a, b, context.step);
        if (order === undefined)
          throw new CallFailure("wrong-kind", `${kindOfValue(a)} and ${kindOfValue(b)} have no order.`, 0);
        return order;
      });
    },
  },
  {
    name: "slice",
    form: "method",
    parameters: [list, { name: "start", kinds: ["number"] }, { name: "end", kinds: ["number"] }],
    result: "list",
    help: "The items from one index up to, not with, another.",
    examples: [
      ["[1, 2, 3].slice(1, 3)", "[2,3]"],
      ["[1, 2, 3].slice(0, 1)", "[1]"],
    ],
    call([items, start, end], context) {
      const all = items as Value[];
      if ((start as number) < 0 || (end as number) > all.length || (start as number) > (end as number)) {
        throw new CallFailure(
          "bad-value",
          `from ${String(start)} to ${String(end)} is outside a list of ${all.length} items.`,
          1,
        );
      }
      context.make((end as number) - (start as number));
      return all.slice(start as number, end as number);
    },
  },
  {
    name: "flatten",
    form: "method",
    parameters: [list],
    result: "list",
    help: "One list out of a list of lists.",
    examples: [
      ["[[1], [2, 3]].flatten()", "[1,2,3]"],
      ["[1, [2]].flatten()", "[1,2]"],
    ],
    call([items], context) {
      const flat = (items as Value[]).flat() as Value[];
      context.make(flat.length);
      context.step(2 * flat.length);
      return flat;
    },
  },
  {
    name: "reverse",
    form: "method",
    parameters: [{ name: "value", kinds: ["list", "text"] }],
    result: "any",
    help: "The items or characters from last to first.",
    examples: [
      ["[1, 2].reverse()", "[2,1]"],
      ['"hut".reverse()', '"tuh"'],
    ],
    call([value], context) {
      const items = typeof value === "string" ? [...value] : (value as Value[]);
      context.make(items.length);
      const turned = [...items].reverse();
      return typeof value === "string" ? turned.join("") : turned;
    },
  },
  {
    name: "lists.range",
    form: "function",
    parameters: [{ name: "count", kinds: ["number"] }],
    result: "list",
    help: "The whole numbers from 0 up to, not with, a count.",
    examples: [
      ["lists.range(3)", "[0,1,2]"],
      ["lists.range(5).map(i, i + 1)", "[1,2,3,4,5]"],
    ],
    call([count], context) {
      if (!Number.isInteger(count) || (count as number) < 0)
        throw new CallFailure("bad-value", "the count is a whole number from 0.", 0);
      context.step(Number(count));
      context.make(count as number);
      return Array.from({ length: count as number }, (_, index) => index);
    },
  },
];

function optionalItem(items: Value[], at: number): Value {
  const item = items[at];
  return item === undefined ? Optional.none : new Optional(item);
}
