import { CallFailure, type FunctionEntry } from "./entry.js";
import type { Value } from "../values.js";
import { pattern } from "./regexes.js";

const text = (name = "text") => ({ name, kinds: ["text"] as const });

function test(
  name: string,
  help: string,
  examples: FunctionEntry["examples"],
  holds: (a: string, b: string) => boolean,
): FunctionEntry {
  return {
    name,
    form: "method",
    parameters: [text(), text("part")],
    result: "boolean",
    help,
    examples,
    call([value, part], context) {
      context.step((value as string).length);
      return holds(value as string, part as string);
    },
  };
}

function change(
  name: string,
  help: string,
  examples: FunctionEntry["examples"],
  make: (value: string) => string,
): FunctionEntry {
  return {
    name,
    form: "both",
    parameters: [text()],
    result: "text",
    help,
    examples,
    call([value], context) {
      const made = make(value as string);
      context.make(made.length);
      return made;
    },
  };
}

/** The white space of Unicode (White_Space), as CEL's trim takes it; no others, such as the zero-width ones. */
const spaces = "[\\t-\\r \\u0085\\u00a0\\u1680\\u2000-\\u200a\\u2028\\u2029\\u202f\\u205f\\u3000]+";
const leadingSpace = new RegExp(`^${spaces}`);
const trailingSpace = new RegExp(`(?<!${spaces.slice(0, -1)})${spaces}$`);
const asciiOnly = (value: string, from: RegExp, to: (part: string) => string) => value.replace(from, to);

export const textFunctions: FunctionEntry[] = [
  test(
    "startsWith",
    "Whether a text begins with another.",
    [
      ['"Gannet Rock".startsWith("Gannet")', "true"],
      ['"Eyrie".startsWith("e")', "false"],
    ],
    (a, b) => a.startsWith(b),
  ),
  test(
    "endsWith",
    "Whether a text ends with another.",
    [
      ['"hut@alpha.example".endsWith(".example")', "true"],
      ['"Eyrie".endsWith("y")', "false"],
    ],
    (a, b) => a.endsWith(b),
  ),
  test(
    "contains",
    "Whether a text contains another.",
    [
      ['"Ibex Step".contains("ex")', "true"],
      ['"Ibex Step".contains("EX")', "false"],
    ],
    (a, b) => a.includes(b),
  ),
  {
    name: "matches",
    form: "both",
    parameters: [text(), text("pattern")],
    result: "boolean",
    help: "Whether a regular expression (RE2) is found in a text; ^ and $ tie it to the ends.",
    examples: [
      ['"AB-12".matches("^[A-Z]+-[0-9]+$")', "true"],
      ['matches("AB-12", "^[0-9]+$")', "false"],
    ],
    call([value, source], context) {
      const compiled = pattern(source as string, context);
      context.step((value as string).length + 10);
      return compiled.matcher(value as string).find();
    },
  },
  change(
    "lowerAscii",
    "The text with A to Z made lower-case.",
    [
      ['"TacoCÆt".lowerAscii()', '"tacocÆt"'],
      ['lowerAscii("Hut")', '"hut"'],
    ],
    (value) => asciiOnly(value, /[A-Z]+/g, (part) => part.toLowerCase()),
  ),
  change(
    "upperAscii",
    "The text with a to z made upper-case.",
    [
      ['"hut 7".upperAscii()', '"HUT 7"'],
      ['upperAscii("æa")', '"æA"'],
    ],
    (value) => asciiOnly(value, /[a-z]+/g, (part) => part.toUpperCase()),
  ),
  change(
    "lower",
    "The text in lower case, of any script.",
    [
      ['lower("ÄRGER")', '"ärger"'],
      ['"Corrie".lower()', '"corrie"'],
    ],
    (value) => value.toLowerCase(),
  ),
  change(
    "upper",
    "The text in upper case, of any script.",
    [
      ['upper("ärger")', '"ÄRGER"'],
      ['"corrie".upper()', '"CORRIE"'],
    ],
    (value) => value.toUpperCase(),
  ),
  change(
    "trim",
    "The text without white space at its ends.",
    [
      ['"  a b ".trim()', '"a b"'],
      ['trim("x\\n")', '"x"'],
    ],
    (value) => value.replace(leadingSpace, "").replace(trailingSpace, ""),
  ),
  {
    name: "split",
    form: "both",
    parameters: [text(), text("separator"), { name: "most", kinds: ["number"], optional: true }],
    result: "list",
    help: "The parts of a text between separators; with a number, at most that many parts.",
    examples: [
      ['"A; B;C;".split(";").map(part, part.trim()).filter(part, part != "")', '["A","B","C"]'],
      ['"a,b,c".split(",", 2)', '["a","b,c"]'],
    ],
    call([value, separator, most], context) {
      const all = (value as string).split(separator as string);
      context.make(all.length + (value as string).length);
      if (most === undefined || (most as number) < 0 || all.length <= (most as number)) return all;
      if (most === 0) return [];
      return [
        ...all.slice(0, (most as number) - 1),
        all.slice((most as number) - 1).join(separator as string),
      ];
    },
  },
  {
    name: "join",
    form: "both",
    parameters: [
      { name: "list", kinds: ["list"] },
      { ...text("separator"), optional: true },
    ],
    result: "text",
    help: "The texts of a list, one after the other, with a separator between them. Numbers and booleans are joined as in JSON.",
    examples: [
      ['["a", "b"].join(", ")', '"a, b"'],
      ["[1, 2].join()", '"12"'],
    ],
    call([list, separator], context) {
      const parts = (list as Value[]).map((item, index) => joinable(item, index));
      const between = (separator as string | undefined) ?? "";
      // Paid before it is made: the parts may be many times the same large text.
      context.make(parts.reduce((sum, part) => sum + part.length + between.length, 0));
      return parts.join(between);
    },
  },
  {
    name: "replace",
    form: "both",
    parameters: [text(), text("old"), text("new"), { name: "most", kinds: ["number"], optional: true }],
    result: "text",
    help: "The text with each occurrence of one text replaced by another; with a number, at most that many.",
    examples: [
      ['"North Hut Team".replace(" ", "")', '"NorthHutTeam"'],
      ['"a-b-c".replace("-", "+", 1)', '"a+b-c"'],
      ['"ab".replace("", "-")', '"-a-b-"'],
    ],
    call([value, from, to, most], context) {
      // An empty text stands before, between and behind all characters.
      const parts = from === "" ? ["", ...(value as string), ""] : (value as string).split(from as string);
      context.step(parts.length);
      const count = most === undefined || (most as number) < 0 ? Infinity : (most as number);
      let made = parts[0] as string;
      for (let index = 1; index < parts.length; index++)
        made += (index <= count ? (to as string) : (from as string)) + parts[index];
      context.make(made.length);
      return made;
    },
  },
  {
    name: "substring",
    form: "both",
    parameters: [
      text(),
      { name: "start", kinds: ["number"] },
      { name: "end", kinds: ["number"], optional: true },
    ],
    result: "text",
    help: "The characters from one place (counted from 0) up to, not with, another.",
    examples: [
      ['"marit@alpha.example".substring(6)', '"alpha.example"'],
      ['"tacocat".substring(0, 4)', '"taco"'],
    ],
    call([value, start, end], context) {
      const characters = [...(value as string)];
      context.make(characters.length);
      const to = (end as number | undefined) ?? characters.length;
      if ((start as number) < 0 || to > characters.length || (start as number) > to) {
        throw new CallFailure(
          "bad-value",
          `from ${String(start)} to ${to} is outside a text of ${characters.length} characters.`,
          1,
        );
      }
      return characters.slice(start as number, to).join("");
    },
  },
  {
    name: "indexOf",
    form: "both",
    parameters: [text(), text("part"), { name: "start", kinds: ["number"], optional: true }],
    result: "number",
    help: "Where a text first contains another, counted from 0; -1 if it does not.",
    examples: [
      ['"marit@alpha.example".indexOf("@")', "5"],
      ['"abc".indexOf("z")', "-1"],
    ],
    call([value, part, start], context) {
      context.step((value as string).length);
      const characters = start === undefined ? [] : [...(value as string)];
      if (start !== undefined && !((start as number) >= 0 && (start as number) <= characters.length))
        throw new CallFailure(
          "no-such-index",
          `there is no place ${String(start)}; the text has ${characters.length} characters.`,
          2,
        );
      const from = characters.slice(0, (start as number | undefined) ?? 0).join("").length;
      const units = (value as string).indexOf(part as string, from);
      return units < 0 ? -1 : [...(value as string).slice(0, units)].length;
    },
  },
];

function joinable(item: Value, index: number): string {
  if (typeof item === "string") return item;
  if (typeof item === "number" || typeof item === "boolean") return String(item);
  const hint = item === null ? " Leave nulls out first: list.filter(item, item != null)." : "";
  throw new CallFailure("wrong-kind", `item ${index} is not a text.${hint}`, 0);
}
