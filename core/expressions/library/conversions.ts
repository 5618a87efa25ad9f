import type { JsonSyntaxError } from "../../values/json.js";
import { Exact, numberFromDigits, parseJson, printJson } from "../../values/json.js";
import { utf8 } from "../../values/encodings.js";
import { parseDuration } from "../../values/durations.js";
import { CallFailure, type FunctionEntry } from "./entry.js";
import {
  Duration,
  isLength,
  isTime,
  kindOfValue,
  Optional,
  textOfBytes,
  Timestamp,
  toJson,
  toText,
  TypeValue,
  type Value,
} from "../values.js";
import { parseTimestamp } from "./times.js";

const numeric = /^\s*[+-]?(\d+(\.\d*)?|\.\d+)([eE][+-]?\d+)?\s*$/;

function toNumber(value: Value): number | Exact {
  if (typeof value === "number" || value instanceof Exact) return value;
  if (typeof value === "string" && numeric.test(value)) {
    const plain = value.trim().replace(/^\+/, "");
    return /^-?(0|[1-9]\d*)(\.\d+)?([eE][+-]?\d+)?$/.test(plain) ? numberFromDigits(plain) : Number(plain);
  }
  if (value instanceof Timestamp) return Math.floor(value.millis / 1000);
  if (typeof value === "string")
    throw new CallFailure("bad-value", `"${value.slice(0, 60)}" is not a number.`, 0);
  if (value === null)
    throw new CallFailure(
      "null-value",
      "there is no number in null. number(…, 0) gives one for that case.",
      0,
    );
  throw new CallFailure("wrong-kind", `there is no number in ${kindOfValue(value)}.`, 0);
}

/** The names of kinds as values, for `type(x) == string`. Numbers are of one kind. */
export const denotations: ReadonlyMap<string, TypeValue> = new Map(
  Object.entries({
    bool: "boolean",
    int: "number",
    uint: "number",
    double: "number",
    string: "text",
    bytes: "bytes",
    list: "list",
    map: "object",
    null_type: "null",
    type: "type",
    optional_type: "optional",
  }).map(([name, kind]): [string, TypeValue] => [name, new TypeValue(kind)]),
);

export const conversionFunctions: FunctionEntry[] = [
  {
    name: "string",
    form: "function",
    parameters: [{ name: "value", kinds: "any" }],
    result: "text",
    help: "The value as text: numbers and booleans as in JSON, timestamps as RFC 3339, bytes as UTF-8, lists and objects as JSON.",
    examples: [
      ["string(12.50)", '"12.5"'],
      ["string([1, true])", '"[1,true]"'],
    ],
    call([value], context) {
      if (value === null)
        throw new CallFailure(
          "null-value",
          'the value is null. Use default(…, "") to give a value for that case.',
          0,
        );
      const text = value instanceof Uint8Array ? textOfBytes(value) : toText(value as Value);
      if (text === undefined) throw new CallFailure("bad-value", "the bytes are not UTF-8 text.", 0);
      context.make(text.length);
      return text;
    },
  },
  {
    name: "number",
    form: "function",
    parameters: [
      { name: "value", kinds: "any" },
      { name: "otherwise", kinds: "any", optional: true },
    ],
    result: "number",
    help: "The number that a text is; if it is none, what is given for that case, or an error.",
    examples: [
      ['number("12.5")', "12.5"],
      ['number(" 7 ") + 1', "8"],
      ['number("none", 0)', "0"],
    ],
    call([value, otherwise], context) {
      context.step(4);
      try {
        return toNumber(value as Value);
      } catch (error) {
        if (otherwise === undefined || !(error instanceof CallFailure)) throw error;
        return otherwise;
      }
    },
  },
  {
    name: "double",
    form: "function",
    parameters: [{ name: "value", kinds: ["text", "number"] }],
    result: "number",
    help: 'The number in a text, also "NaN", "Infinity" and "-Infinity"; of one with many digits the nearest that a double holds.',
    examples: [
      ['double("1e3")', "1000"],
      ["double(3)", "3"],
    ],
    call: ([value]) =>
      ["NaN", "Infinity", "-Infinity"].includes(value as string)
        ? Number(value)
        : Number(String(toNumber(value as Value))),
  },
  {
    name: "int",
    form: "function",
    parameters: [{ name: "value", kinds: ["text", "number", "timestamp"] }],
    result: "number",
    help: "The whole number, cut toward zero; of a timestamp its seconds since 1970.",
    examples: [
      ["int(2.9)", "2"],
      ['int("-7")', "-7"],
    ],
    call([value]) {
      const number = toNumber(value as Value);
      const whole = number instanceof Exact ? number.digits.replace(/\..*$/, "") : Math.trunc(number) + 0;
      const inRange =
        typeof whole === "number"
          ? Math.abs(whole) < 2 ** 63
          : /^-?\d+$/.test(whole) && BigInt.asIntN(64, BigInt(whole)) === BigInt(whole);
      if (!inRange)
        throw new CallFailure("bad-value", "the number is out of the range of whole numbers of 64 bits.", 0);
      return typeof whole === "number" ? whole : numberFromDigits(whole);
    },
  },
  {
    name: "bool",
    form: "function",
    parameters: [{ name: "value", kinds: ["text", "boolean"] }],
    result: "boolean",
    help: 'true or false from the text "true" or "false" (also "1", "0", "t", "f").',
    examples: [
      ['bool("true")', "true"],
      ["bool(false)", "false"],
    ],
    call([value]) {
      if (typeof value === "boolean") return value;
      if (["true", "True", "TRUE", "t", "1"].includes(value as string)) return true;
      if (["false", "False", "FALSE", "f", "0"].includes(value as string)) return false;
      throw new CallFailure("bad-value", `"${String(value).slice(0, 60)}" is neither true nor false.`, 0);
    },
  },
  {
    name: "bytes",
    form: "function",
    parameters: [{ name: "value", kinds: ["text", "bytes"] }],
    result: "bytes",
    help: "The UTF-8 bytes of a text.",
    examples: [
      ['hex(bytes("hut"))', '"687574"'],
      ['size(bytes("é"))', "2"],
    ],
    call([value], context) {
      const bytes = typeof value === "string" ? utf8(value) : (value as Uint8Array);
      context.make(bytes.length);
      return bytes;
    },
  },
  {
    name: "timestamp",
    form: "function",
    parameters: [{ name: "value", kinds: ["text", "number", "timestamp"] }],
    result: "timestamp",
    help: "A point in time from RFC 3339 text, or from seconds since 1970.",
    examples: [
      ['timestamp("2027-03-01T05:00:00Z")', '"2027-03-01T05:00:00.000Z"'],
      ["timestamp(0)", '"1970-01-01T00:00:00.000Z"'],
    ],
    call([value], context) {
      if (value instanceof Timestamp) return value;
      context.step(40);
      const parsed =
        typeof value === "number" ? new Timestamp(value * 1000) : parseTimestamp(value as string);
      if (!parsed)
        throw new CallFailure(
          "bad-value",
          `"${String(value).slice(0, 60)}" is not an RFC 3339 time, such as 2027-03-01T05:00:00Z.`,
          0,
        );
      if (!isTime(parsed.millis))
        throw new CallFailure("bad-value", "a time lies between the years 1 and 9999.", 0);
      return parsed;
    },
  },
  {
    name: "duration",
    form: "function",
    parameters: [{ name: "value", kinds: ["text", "duration"] }],
    result: "duration",
    help: "A length of time from text such as 90s, 1h30m or 2d.",
    examples: [
      ['duration("1h30m")', '"5400s"'],
      ['timestamp("2027-03-01T05:00:00Z") + duration("2d")', '"2027-03-03T05:00:00.000Z"'],
    ],
    call([value]) {
      if (value instanceof Duration) return value;
      const millis = parseDuration(value as string);
      if (millis === undefined)
        throw new CallFailure(
          "bad-value",
          `"${String(value).slice(0, 60)}" is not a duration, such as 90s, 1h30m or 2d.`,
          0,
        );
      if (!isLength(millis)) throw new CallFailure("bad-value", "a duration is at most 10,000 years.", 0);
      return new Duration(millis);
    },
  },
  {
    name: "type",
    form: "function",
    parameters: [{ name: "value", kinds: "any" }],
    result: "type",
    help: "The kind of a value; to be compared with the kind of another.",
    examples: [
      ["type(1) == type(2.5)", "true"],
      ['type("1") == type(1)', "false"],
    ],
    call: ([value]) => new TypeValue(kindOfValue(value as Value)),
  },
  {
    name: "json.parse",
    form: "function",
    parameters: [{ name: "text", kinds: "any" }],
    result: "any",
    help: "The value of a JSON text; null if the text is blank. What is a value already comes back unchanged.",
    examples: [
      ['json.parse("{\\"level\\":29}").level', "29"],
      ["json.parse([1])", "[1]"],
      ['json.parse("")', "null"],
    ],
    call([value], context) {
      if (typeof value !== "string") return value as Value;
      if (/^\s*$/.test(value)) return null;
      context.make(value.length);
      context.step(value.length >> 1);
      try {
        return parseJson(value);
      } catch (error) {
        const at = (error as JsonSyntaxError).position;
        throw new CallFailure(
          "bad-value",
          `the text is not JSON${at === undefined ? "" : ` at character ${at + 1}`}: ${(error as Error).message}`,
          0,
        );
      }
    },
  },
  {
    name: "json.print",
    form: "function",
    parameters: [{ name: "value", kinds: "any" }],
    result: "text",
    help: "The value as JSON text.",
    examples: [
      ['json.print({"a": 1})', '"{\\"a\\":1}"'],
      ['json.print("x")', '"\\"x\\""'],
    ],
    call([value], context) {
      const text = printJson(toJson(value as Value) ?? null);
      context.make(text.length);
      return text;
    },
  },
  {
    name: "optional.of",
    form: "function",
    parameters: [{ name: "value", kinds: "any" }],
    result: "optional",
    help: "A value that is there.",
    examples: [
      ["optional.of(1).value()", "1"],
      ["optional.of(1).hasValue()", "true"],
    ],
    call: ([value]) => new Optional(value as Value),
  },
  {
    name: "optional.none",
    form: "function",
    parameters: [],
    result: "optional",
    help: "A value that is not there; in a body or a query its field is left out.",
    examples: [
      ["optional.none().orValue(3)", "3"],
      ['{"a": 1, "b": optional.none()}', '{"a":1}'],
    ],
    call: () => Optional.none,
  },
  {
    name: "orValue",
    form: "method",
    parameters: [
      { name: "optional", kinds: ["optional"] },
      { name: "otherwise", kinds: "any" },
    ],
    result: "any",
    help: "The value, or another one where it is not there.",
    examples: [
      ['{"a": 1}.?b.orValue(2)', "2"],
      ['{"a": 1}.?a.orValue(2)', "1"],
    ],
    call: ([optional, otherwise]) => (optional as Optional).value ?? (otherwise as Value),
  },
  {
    name: "hasValue",
    form: "method",
    parameters: [{ name: "optional", kinds: ["optional"] }],
    result: "boolean",
    help: "Whether the value is there.",
    examples: [
      ['{"a": 1}.?a.hasValue()', "true"],
      ['{"a": 1}.?b.hasValue()', "false"],
    ],
    call: ([optional]) => (optional as Optional).value !== undefined,
  },
  {
    name: "value",
    form: "method",
    parameters: [{ name: "optional", kinds: ["optional"] }],
    result: "any",
    help: "The value, or an error where it is not there.",
    examples: [
      ['{"a": 1}.?a.value()', "1"],
      ["[7][?0].value()", "7"],
    ],
    call([optional]) {
      const value = (optional as Optional).value;
      if (value === undefined)
        throw new CallFailure("no-such-key", "there is no value. orValue(…) says what to take then.", 0);
      return value;
    },
  },
];
