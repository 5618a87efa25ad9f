import { macroEntries } from "./library/macro-table.js";
import { sections } from "./library/table.js";
import type { FunctionEntry } from "./library/entry.js";

/** The reference page of the language, made from the tables of functions and macros. */
export function referencePage(): string {
  const macros = macroEntries.map(({ form, help, examples }) => row(form, help, examples));
  return `${head}
## Loops and other forms that bind names

${table(macros)}
${sections.map(({ title, functions }) => `## ${title}\n\n${table(functions.map((entry) => row(written(entry), entry.help, entry.examples)))}`).join("\n")}`;
}

function written({ name, form, parameters }: FunctionEntry): string {
  const names = parameters.map((one) =>
    one.optional ? `[${one.name}]` : one.rest ? `${one.name}, …` : one.name,
  );
  const [first = "", ...rest] = names;
  const method = `${first}.${name}(${rest.join(", ")})`;
  const called = `${name}(${names.join(", ")})`;
  return form === "function" ? called : form === "method" ? method : `${called} or ${method}`;
}

type Row = [string, string, string];

function row(form: string, help: string, examples: FunctionEntry["examples"]): Row {
  const shown = examples.map(([expression, result]) => `${code(expression)} → ${code(result)}`).join("<br>");
  return [
    form
      .split(" or ")
      .map((one) => (/[(.]/.test(one) ? code(one) : one))
      .join(" or "),
    help,
    shown,
  ];
}

function code(text: string): string {
  const fence = text.includes("`") ? "``" : "`";
  return `${fence}${text.replaceAll("|", "\\|")}${fence}`;
}

function table(rows: Row[]): string {
  return `| form | what it gives | examples |\n|---|---|---|\n${rows.map((cells) => `| ${cells.map((cell, index) => (index === 1 ? cell.replaceAll("|", "\\|") : cell)).join(" | ")} |`).join("\n")}\n`;
}

const head = `# Expressions

<!-- Made by \`npm run reference\` from the tables of the library. Each example on this page is run as a test. -->

Expressions are written in CEL, the Common Expression Language: an open specification, typed, without side effects, and sure to
end. Where ours differs is in [the list of departures](../core/conformance.md).

    steps.guest.body.items[0].id
    size(steps.guest.body.items) > 0
    rows.filter(r, r.open).map(r, r.id)
    inputs.hut in ["corrie", "juniper"] ? "near" : "far"

Evaluate one with \`ckettle eval 'size(items)' --data file.json\`, with the values of a run with \`--run ID\`, or on the page
*Expressions* of a run in the console. While you type, the console offers names, fields and functions, and tells what will
probably go wrong.

## Values

Values are those of JSON, and bytes (\`b"…"\`), times (\`timestamp("2027-03-01T05:00:00Z")\`), durations (\`duration("90s")\`), optional
values and types. A value that leaves an expression becomes JSON: a time as RFC 3339 in UTC with milliseconds, a duration as
\`90s\`, bytes as Base64. An empty optional value leaves out its key or item.

- There is one type of number. \`5 / 2\` is 2.5, \`%\` is the remainder, and dividing by zero is an error. Numbers with more digits
  than a double holds keep them from a response to the next request. They can be compared and turned into text. Arithmetic on
  them is an error that says so.
- \`+\` joins a text with a number or a boolean, lists with lists, times with durations.
- Operators: \`! - * / % + < <= > >= == != in && || ? :\`. \`==\` compares whole values. \`null < 10\` is an error.
- Texts are in single or double quotes, or in three of them over several lines. \`\\n \\t \\" \\u00fc\` and the like are escapes, and
  \`r"…"\` has none. \`a["odd key"]\` and \`\`a.\`odd key\` \`\` read keys that are not names.
- \`//\` begins a comment.

## Absent and null

Reading a key that does not exist, an item beyond the end, or anything of null is an error that names the path and the nearest
key. Give a value for that case: \`default(a.b, c)\`, or \`a.?b.orValue(c)\` and \`list[?0]\`, which give optional values. \`has(a.b)\` tells
whether a key exists. \`[?a.?b]\` and \`{?"k": a.?b}\` leave out what is empty.

## Templates

A value may contain \`\${ expression }\` parts in its texts. A text that is exactly one part keeps the type of its value. Otherwise
the parts become text. \`$\${\` is a plain \`\${\`.

## Limits

An expression has at most 20,000 characters. An evaluation does at most 1,000,000 steps and makes at most 8,000,000 characters
and items. Beyond that it ends with an error. Regular expressions are RE2, which takes time in proportion to the text.
`;
