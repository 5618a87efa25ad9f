import { own, setOwn, type Json, type JsonObject } from "../../values/json.js";
import { Duration, equal, kindOfValue, Optional, type Value, type ValueMap } from "../values.js";
import { CallFailure, type CallContext, type FunctionEntry } from "./entry.js";
import { any, define, list, maybe, number, object } from "./define.js";

function names(items: Value[], argument: number): string[] {
  return items.map((item) => {
    if (typeof item === "string") return item;
    throw new CallFailure("wrong-kind", `a key is a text, not ${kindOfValue(item)}.`, argument);
  });
}

function has(items: Value[], wanted: Value, context: CallContext): boolean {
  return items.some((item) => equal(item, wanted, context.step));
}

/** What it costs to read a key of an object and to set it in another, in steps. */
export const keyCost = 8;

function copyOf(source: ValueMap, keep: (key: string) => boolean, context: CallContext): ValueMap {
  const copy: JsonObject = {};
  for (const key of Object.keys(source)) {
    context.step(keyCost);
    if (keep(key)) setOwn(copy, key, own(source as JsonObject, key) as Json);
  }
  context.make(Object.keys(copy).length);
  return copy as ValueMap;
}

/** A copy of a value with another one at a path of keys and indexes; objects on the way are made where they lack. */
function putAt(value: Value, path: Value[], put: Value, context: CallContext): Value {
  const [step, ...rest] = path;
  if (step === undefined) return put;
  context.step(1);
  if (Array.isArray(value)) {
    if (typeof step !== "number" || !Number.isInteger(step) || step < 0 || step > value.length)
      throw new CallFailure("no-such-index", `a list of ${value.length} has no place ${String(step)}.`, 1);
    const copy = [...(value as Value[])];
    copy[step] = putAt(copy[step] ?? {}, rest, put, context);
    context.make(copy.length);
    context.step(copy.length);
    return copy;
  }
  if (value === null || typeof value !== "object" || kindOfValue(value) !== "object")
    throw new CallFailure(
      "wrong-kind",
      `there is ${kindOfValue(value)} on the way, which has no "${String(step)}".`,
      1,
    );
  const copy = copyOf(value as ValueMap, () => true, context) as JsonObject;
  const inner = own(copy, String(step)) as Value | undefined;
  setOwn(copy, String(step), putAt(inner ?? {}, rest, put, context) as Json);
  return copy as ValueMap;
}

export const collectionFunctions: FunctionEntry[] = [
  define(
    "chunk",
    "both",
    [list(), number("size")],
    "list",
    "The list in pieces of a size; the last may be shorter.",
    [
      ["chunk([1, 2, 3], 2)", "[[1,2],[3]]"],
      ["chunk([], 2)", "[]"],
    ],
    ([items, size]: [Value[], number], context) => {
      if (!Number.isInteger(size) || size < 1)
        throw new CallFailure("bad-value", "a size is a whole number from 1.", 1);
      context.make(items.length);
      context.step(items.length + 3 * Math.ceil(items.length / size));
      return Array.from({ length: Math.ceil(items.length / size) }, (_, index) =>
        items.slice(index * size, (index + 1) * size),
      );
    },
  ),
  define(
    "zip",
    "both",
    [list("first"), list("second")],
    "list",
    "Pairs of the items of two lists, as long as the shorter one.",
    [
      ['zip([1, 2], ["a", "b"])', '[[1,"a"],[2,"b"]]'],
      ["zip([1], [])", "[]"],
    ],
    ([a, b]: [Value[], Value[]], context) => {
      const length = Math.min(a.length, b.length);
      context.make(length * 2);
      context.step(length * 2);
      return Array.from({ length }, (_, index) => [a[index] as Value, b[index] as Value]);
    },
  ),
  define(
    "without",
    "both",
    [list(), list("others")],
    "list",
    "The items that are not in another list.",
    [
      ["without([1, 2, 3], [2])", "[1,3]"],
      ["without([], [1])", "[]"],
    ],
    ([items, others]: [Value[], Value[]], context) => {
      context.make(items.length);
      return items.filter((item) => !has(others, item, context));
    },
  ),
  define(
    "pick",
    "both",
    [object(), list("keys")],
    "object",
    "The object with some of its keys only; those that it lacks are left out.",
    [
      ['pick({"a": 1, "b": 2}, ["a", "c"])', '{"a":1}'],
      ["pick({}, [])", "{}"],
    ],
    ([value, keys]: [ValueMap, Value[]], context) => {
      const wanted = new Set(names(keys, 1));
      return copyOf(value, (key) => wanted.has(key), context);
    },
  ),
  define(
    "omit",
    "both",
    [object(), list("keys")],
    "object",
    "The object without some of its keys.",
    [
      ['omit({"a": 1, "b": 2}, ["a"])', '{"b":2}'],
      ["omit({}, [])", "{}"],
    ],
    ([value, keys]: [ValueMap, Value[]], context) => {
      const unwanted = new Set(names(keys, 1));
      return copyOf(value, (key) => !unwanted.has(key), context);
    },
  ),
  define(
    "put",
    "both",
    [any("value"), list("path"), any("new")],
    "any",
    "A copy with another value at a path of keys and indexes.",
    [
      ['put({"a": {"b": 1}}, ["a", "c"], 2)', '{"a":{"b":1,"c":2}}'],
      ["put([1, 2], [0], 9)", "[9,2]"],
    ],
    ([value, path, put]: [Value, Value[], Value], context) => putAt(value, path, put, context),
  ),
  define(
    "entries",
    "both",
    [object()],
    "list",
    "The keys and values of an object, as a list of {key, value}.",
    [
      ['entries({"a": 1})', '[{"key":"a","value":1}]'],
      ["entries({})", "[]"],
    ],
    ([value]: [ValueMap], context) => {
      const keys = Object.keys(value);
      context.make(keys.length * 2);
      context.step(keys.length * 2);
      return keys.map((key) => ({ key, value: own(value as JsonObject, key) as Value }));
    },
  ),
  define(
    "changed",
    "function",
    [object("before"), object("after"), maybe(list("fields"))],
    "list",
    "The keys whose values differ between two objects; of some fields only, where they are given.",
    [
      ['changed({"a": 1, "b": 2}, {"a": 1, "b": 3})', '["b"]'],
      ['changed({"a": 1}, {"a": 2, "c": 1}, ["c"])', '["c"]'],
    ],
    ([before, after, fields]: [ValueMap, ValueMap, Value[] | undefined], context) => {
      const keys = fields ? names(fields, 2) : [...new Set([...Object.keys(before), ...Object.keys(after)])];
      return keys.filter((key) => {
        const [a, b] = [own(before as JsonObject, key), own(after as JsonObject, key)] as (
          Value | undefined
        )[];
        return a === undefined || b === undefined ? a !== b : !equal(a, b, context.step);
      });
    },
  ),
  define(
    "sets.contains",
    "function",
    [list(), list("others")],
    "boolean",
    "Whether a list contains every item of another.",
    [
      ["sets.contains([1, 2, 3], [2, 3])", "true"],
      ["sets.contains([1], [2])", "false"],
    ],
    ([items, others]: [Value[], Value[]], context) => others.every((other) => has(items, other, context)),
  ),
  define(
    "sets.equivalent",
    "function",
    [list(), list("others")],
    "boolean",
    "Whether two lists hold the same items, in whatever order and number.",
    [
      ["sets.equivalent([1, 2, 2], [2, 1])", "true"],
      ["sets.equivalent([1], [1, 2])", "false"],
    ],
    ([items, others]: [Value[], Value[]], context) =>
      others.every((other) => has(items, other, context)) &&
      items.every((item) => has(others, item, context)),
  ),
  define(
    "sets.intersects",
    "function",
    [list(), list("others")],
    "boolean",
    "Whether two lists have an item in common.",
    [
      ["sets.intersects([1, 2], [2, 3])", "true"],
      ["sets.intersects([], [1])", "false"],
    ],
    ([items, others]: [Value[], Value[]], context) => items.some((item) => has(others, item, context)),
  ),
  define(
    "optional.ofNonZeroValue",
    "function",
    [any()],
    "optional",
    "An optional value that is empty for null, false, 0 and what is empty.",
    [
      ['optional.ofNonZeroValue("").orValue("none")', '"none"'],
      ["optional.ofNonZeroValue(7).orValue(0)", "7"],
    ],
    ([value]: [Value]) => (isZero(value) ? Optional.none : new Optional(value)),
  ),
  define(
    "or",
    "method",
    [
      { name: "optional", kinds: ["optional"] },
      { name: "otherwise", kinds: ["optional"] },
    ],
    "optional",
    "The optional value, or another one where it is empty.",
    [
      ["optional.none().or(optional.of(2)).value()", "2"],
      ["optional.of(1).or(optional.of(2)).value()", "1"],
    ],
    ([first, second]: [Optional, Optional]) => (first.value === undefined ? second : first),
  ),
  define(
    "optional.unwrap",
    "function",
    [list()],
    "list",
    "The values of a list of optional values; empty ones are left out.",
    [
      ["optional.unwrap([optional.of(1), optional.none()])", "[1]"],
      ["optional.unwrap([])", "[]"],
    ],
    ([items]: [Value[]]) => unwrapped(items),
  ),
  define(
    "unwrapOpt",
    "method",
    [list()],
    "list",
    "The same as optional.unwrap.",
    [
      ["[optional.of(1), optional.none()].unwrapOpt()", "[1]"],
      ["[].unwrapOpt()", "[]"],
    ],
    ([items]: [Value[]]) => unwrapped(items),
  ),
  define(
    "dyn",
    "function",
    [any()],
    "any",
    "The value itself; for expressions that were written for other evaluators.",
    [
      ["dyn(1)", "1"],
      ['dyn("a")', '"a"'],
    ],
    ([value]: [Value]) => value,
  ),
];

function unwrapped(items: Value[]): Value[] {
  return items.flatMap((item, index) => {
    if (!(item instanceof Optional))
      throw new CallFailure("wrong-kind", `item ${index} is ${kindOfValue(item)}, not an optional value.`, 0);
    return item.value === undefined ? [] : [item.value];
  });
}

function isZero(value: Value): boolean {
  if (value === null || value === false || value === 0 || value === "") return true;
  if (Array.isArray(value) || value instanceof Uint8Array) return value.length === 0;
  if (value instanceof Duration) return value.millis === 0;
  return kindOfValue(value) === "object" && Object.keys(value as ValueMap).length === 0;
}
