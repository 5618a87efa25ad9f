import { lineEnd, lineStart } from "./edit-text.js";

/** A fault of YAML in words of ours, at the place where a person looks for it: offsets in the text. */
export interface YamlFault {
  message: string;
  from: number;
  to: number;
}

/** Of a line with a fault so much is looked at for what may be meant. */
const longestExplained = 1_000;

/**
 * Says what is wrong with a file that is not YAML (1.2), by the code of the parser's fault and the line it is in.
 * @param code one of the codes of the package `yaml`
 * @param said the parser's own words, for what has no better ones
 */
export function explainYaml(
  code: string,
  text: string,
  [from, to]: [number, number],
  said: string,
): YamlFault {
  const at = lineAt(text, Math.min(from, text.length));
  const here = (message: string): YamlFault => ({ message, from, to });
  const cut = /[{,[]\s*(?:[\w"'-]+\s*:\s*)?(\$\{[^"'}]*\})/.exec(at.line);
  if (cut) return here(`Inside { } or [ ], a value with \${ } must be in quotes: "${cut[1]}".`);
  const flow = /[{[]/.exec(at.line.slice(0, Math.max(0, from - at.start)));
  switch (code) {
    case "TAB_AS_INDENT":
      return here("YAML is indented with spaces, not with tabs.");
    case "DUPLICATE_KEY":
      return here("A key is used twice here.");
    case "BAD_ALIAS":
      return here(
        "To YAML, a value that begins with * is an alias, of which there is none here. Put it in quotes.",
      );
    case "BAD_DQ_ESCAPE":
      return here(
        "In \"double quotes\" a \\ begins an escape, such as \\n. Write \\\\ for a \\, or use 'single quotes'.",
      );
    case "BAD_SCALAR_START":
      return here(`A value that begins with ${text[from] ?? "this"} must be in quotes.`);
    case "MULTIPLE_DOCS":
      return here("A file holds one workflow: leave out what stands behind ---.");
    case "MISSING_CHAR":
      return unclosed(text) ?? openBracket(text.slice(0, from)) ?? misplaced(text, at) ?? here(outOfPlace);
    case "BLOCK_AS_IMPLICIT_KEY":
    case "MULTILINE_IMPLICIT_KEY":
    case "BAD_INDENT":
    case "UNEXPECTED_TOKEN":
    case "BLOCK_IN_FLOW":
    case "IMPOSSIBLE":
      if (flow && code !== "BLOCK_AS_IMPLICIT_KEY")
        return here("Inside { } or [ ], a value that holds [ ] { } : or , must be in quotes.");
      return unclosed(text) ?? openBracket(text.slice(0, from)) ?? misplaced(text, at) ?? here(outOfPlace);
    default:
      return here(said.replace(/\s*\n[\s\S]*$/, ""));
  }
}

/** A text as YAML reads it back: in double quotes, or in single ones where it holds those or a backslash. */
export function inQuotes(text: string): string {
  return /["\\]/.test(text) ? `'${text.replaceAll("'", "''")}'` : `"${text}"`;
}

interface Line {
  line: string;
  start: number;
}

function lineAt(text: string, offset: number): Line {
  const start = lineStart(text, offset);
  return { start, line: text.slice(start, Math.min(lineEnd(text, start), start + longestExplained)) };
}

function nextLine(text: string, { start }: Line): Line | undefined {
  const end = text.indexOf("\n", start);
  return end < 0 || end + 1 >= text.length ? undefined : lineAt(text, end + 1);
}

const outOfPlace = "This line is not indented like those that it belongs to.";

/** The last bracket that is opened in a text and not closed. */
function openBracket(text: string): YamlFault | undefined {
  const plain = text
    .replace(/"(?:[^"\\]|\\.)*"|(?<=[:,[{-]\s*)'[^']*'/g, (quoted) => " ".repeat(quoted.length))
    .replace(/\$\{[^{}$]*\}/g, (part) => " ".repeat(part.length));
  const open: number[] = [];
  for (const { 0: sign, index } of plain.matchAll(/[[{\]}]/g)) {
    if (sign === "[" || sign === "{") open.push(index);
    else open.pop();
  }
  const at = open.at(-1);
  return at === undefined ? undefined : { message: `This ${text[at]} is not closed.`, from: at, to: at + 1 };
}

const indentOf = (line: string): number => /^ *(?:- +)*/.exec(line)?.[0].length ?? 0;

/** What is probably wrong with a line, or with the one behind it, whose place does not fit. */
function misplaced(text: string, at: Line): YamlFault | undefined {
  const { line, start } = at;
  const whole = { from: start + line.search(/\S|$/), to: start + line.length };
  const value = /^(\s*(?:- +)*[\w.-]+): +([^"'{[|>&*!\s].*: .*)$/.exec(line);
  if (value) {
    const [, key = "", plain = ""] = value;
    return {
      ...whole,
      message: `A text that holds ": " must be in quotes: ${key.trim()}: ${inQuotes(plain)}.`,
    };
  }
  const keyless = /^\s*(?:- +)*([\w-]+) +(\S.*)$/.exec(line);
  const next = nextLine(text, at);
  if (keyless && !/:(\s|$)/.test(line) && next)
    return {
      ...whole,
      message: `A key and its value have a : between them: ${keyless[1]}: ${keyless[2]}.`,
    };
  if (next && /:\s+\S/.test(line) && next.line.trim() !== "" && indentOf(next.line) > indentOf(line))
    return {
      from: next.start + next.line.search(/\S/),
      to: next.start + next.line.length,
      message: "This line is indented further than the one before it, which has its value already.",
    };
  return undefined;
}

/** The first text that begins with a quote and does not end. */
function unclosed(text: string): YamlFault | undefined {
  let start = 0;
  for (const line of text.split("\n")) {
    const plain = line.replace(/(^|\s)#.*$/, "$1");
    const double = plain.replace(/\\./g, "  ").replace(/'(?:[^']|'')*'/g, (one) => " ".repeat(one.length));
    const opened = double.lastIndexOf('"');
    if ((double.split('"').length - 1) % 2 === 1 && /[:,[{-]\s*"[^"]*$/.test(double))
      return { message: 'This " is not closed by another.', from: start + opened, to: start + line.length };
    start += line.length + 1;
  }
  return undefined;
}
