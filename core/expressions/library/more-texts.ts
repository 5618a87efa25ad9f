import { printJson } from "../../values/json.js";
import { CallFailure, type FunctionEntry } from "./entry.js";
import { any, define, list, maybe, number, text } from "./define.js";
import { formatText } from "./format.js";
import type { Value } from "../values.js";

const entities: Record<string, string> = {
  "&": "&amp;",
  "<": "&lt;",
  ">": "&gt;",
  '"': "&quot;",
  "'": "&#39;",
};

export const moreTextFunctions: FunctionEntry[] = [
  define(
    "charAt",
    "method",
    [text(), number("index")],
    "text",
    "The character at a place, counted from 0; behind the last one an empty text.",
    [
      ['"Eyrie".charAt(1)', '"y"'],
      ['"Eyrie".charAt(5)', '""'],
    ],
    ([value, index]: [string, number], context) => {
      context.step(value.length >> 2);
      const characters = [...value];
      if (!Number.isInteger(index) || index < 0 || index > characters.length)
        throw new CallFailure(
          "no-such-index",
          `there is no character ${index}; the text has ${characters.length}.`,
          1,
        );
      return characters[index] ?? "";
    },
  ),
  define(
    "lastIndexOf",
    "method",
    [text(), text("part"), maybe(number("start"))],
    "number",
    "Where a part comes last, at or before a place; -1 if it does not.",
    [
      ['"a/b/c".lastIndexOf("/")', "3"],
      ['"a/b/c".lastIndexOf("x")', "-1"],
    ],
    ([value, part, start]: [string, string, number | undefined], context) => {
      context.step(value.length >> 2);
      const characters = [...value];
      if (start !== undefined && (!Number.isInteger(start) || start < 0 || start > characters.length))
        throw new CallFailure(
          "no-such-index",
          `there is no place ${start}; the text has ${characters.length} characters.`,
          2,
        );
      const before = start === undefined ? value : characters.slice(0, start).join("") + part.slice(0, 0);
      const from = start === undefined ? value.length : before.length;
      const found = value.lastIndexOf(part, from);
      return found < 0 ? -1 : [...value.slice(0, found)].length;
    },
  ),
  define(
    "format",
    "method",
    [text("pattern"), list("values")],
    "text",
    "The pattern with values in the place of %s (any), %d (number), %.2f and %.2e (with digits), %b, %o, %x, %X (binary, octal, hexadecimal); %% is a percent sign.",
    [
      ['"%s: %.1f °C".format(["Eyrie", 4.25])', '"Eyrie: 4.2 °C"'],
      ['"%d%%".format([30])', '"30%"'],
    ],
    ([pattern, values]: [string, Value[]], context) => {
      context.step(10 * values.length);
      const made = formatText(pattern, values);
      context.make(made.length);
      return made;
    },
  ),
  define(
    "strings.quote",
    "function",
    [text()],
    "text",
    "The text in double quotes, with escapes, as it would stand in an expression.",
    [
      ['strings.quote("a\\"b")', '"\\"a\\\\\\"b\\""'],
      ['strings.quote("hut")', '"\\"hut\\""'],
    ],
    ([value]: [string], context) => {
      const escapes: Record<string, string> = {
        "\u0007": "\\a",
        "\b": "\\b",
        "\f": "\\f",
        "\n": "\\n",
        "\r": "\\r",
        "\t": "\\t",
        "\v": "\\v",
        "\\": "\\\\",
        '"': '\\"',
      };
      // Control characters are named by their escapes.
      // eslint-disable-next-line no-control-regex
      const made = `"${value.replace(/[\u0007\b\f\n\r\t\v\\"]/g, (one) => escapes[one] as string)}"`;
      context.make(made.length);
      return made;
    },
  ),
  define(
    "words",
    "both",
    [text()],
    "list",
    "The words of a text: runs of letters and digits.",
    [
      ['words("North Hut, Team 2")', '["North","Hut","Team","2"]'],
      ['words("")', "[]"],
    ],
    ([value]: [string], context) => {
      const found = value.match(/[\p{L}\p{N}]+(?:['’][\p{L}\p{N}]+)*/gu) ?? [];
      context.make(found.length);
      return found;
    },
  ),
  define(
    "padStart",
    "both",
    [any("value"), number("length"), maybe(text("with"))],
    "text",
    "A text or number, filled from the left to a length; with blanks, or with what is given.",
    [
      ['padStart(7, 3, "0")', '"007"'],
      ['"ab".padStart(4)', '"  ab"'],
    ],
    ([value, length, fill]: [Value, number, string | undefined], context) => {
      const from = typeof value === "string" ? value : printJson(value);
      if (!Number.isInteger(length) || length < 0)
        throw new CallFailure("bad-value", "a length is a whole number from 0.", 1);
      context.make(length);
      return from.padStart(length, fill ?? " ");
    },
  ),
  define(
    "numberIn",
    "both",
    [text()],
    "number",
    "The first number in a text; null if there is none.",
    [
      ['numberIn("32.9 mi")', "32.9"],
      ['numberIn("none")', "null"],
    ],
    ([value]: [string]) => {
      const found = /-?\d+(?:\.\d+)?/.exec(value.slice(0, 10_000).replace(/(\d),(?=\d{3}\b)/g, "$1"));
      return found ? Number(found[0]) : null;
    },
  ),
  define(
    "escapeHtml",
    "both",
    [text()],
    "text",
    "The text with & < > \" and ' as entities, so that it is only text in HTML.",
    [
      ['escapeHtml("a < b & c")', '"a &lt; b &amp; c"'],
      ['escapeHtml("hut")', '"hut"'],
    ],
    ([value]: [string], context) => {
      const made = value.replace(/[&<>"']/g, (one) => entities[one] as string);
      context.make(made.length);
      return made;
    },
  ),
  define(
    "slug",
    "both",
    [text()],
    "text",
    "Small letters and digits with dashes between words, for addresses and file names.",
    [
      ['slug("Café & Co, Hut 7")', '"cafe-co-hut-7"'],
      ['slug("  Ibex_Step  ")', '"ibex-step"'],
    ],
    ([value]: [string], context) => {
      context.step(value.length);
      const made = value
        .normalize("NFKD")
        .replace(/\p{M}+/gu, "")
        .toLowerCase()
        .replace(/[^a-z0-9]+/g, "-")
        .replace(/^-+|-+$/g, "");
      context.make(made.length);
      return made;
    },
  ),
];
