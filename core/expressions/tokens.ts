import { ExpressionError } from "./errors.js";

/** A token of a CEL text. `start` and `end` are offsets in it. */
export type Token = { start: number; end: number } & (
  | { kind: "name"; text: string }
  /** A name in back quotes, which may hold dots and dashes; it stands behind a dot only. */
  | { kind: "quoted-name"; text: string }
  | { kind: "number"; value: number | bigint }
  | { kind: "text"; value: string }
  | { kind: "bytes"; value: Uint8Array }
  | { kind: "sign"; text: string }
  | { kind: "end" }
);

const pairs = new Set(["&&", "||", "==", "!=", "<=", ">="]);
const singles = new Set("<>+-*/%!?:.,()[]{}");
const prefixes = new Set("rRbB");
const nameStart = /[A-Za-z_]/;
const name = /[A-Za-z_][A-Za-z0-9_]*/y;
const number = /0[xX][0-9a-fA-F]+[uU]?|(?:\d+\.\d+|\.\d+|\d+)(?:[eE][+-]?\d+)?[uU]?/y;
const space = /(?:[ \t\r\n\f\v]|\/\/[^\n]*)+/y;

/**
 * Splits a CEL text into tokens (language definition, section Syntax: lexis).
 * @throws ExpressionError with code `syntax`
 */
export function tokensOf(text: string): Token[] {
  const tokens: Token[] = [];
  let at = 0;
  const take = (pattern: RegExp): string | undefined => {
    pattern.lastIndex = at;
    return pattern.exec(text)?.[0];
  };
  for (;;) {
    at += take(space)?.length ?? 0;
    if (at >= text.length) break;
    const start = at;
    const character = text[at] as string;
    const mayQuote =
      character === '"' ||
      character === "'" ||
      (prefixes.has(character) && /["']/.test(text.slice(at + 1, at + 3)));
    const quoted = mayQuote ? readQuoted(text, at) : undefined;
    if (quoted) {
      tokens.push(quoted);
      at = quoted.end;
    } else if (nameStart.test(character)) {
      const found = take(name) as string;
      at += found.length;
      tokens.push({ kind: "name", text: found, start, end: at });
    } else if (/\d/.test(character) || (character === "." && /\d/.test(text[at + 1] ?? ""))) {
      const found = take(number) as string;
      at += found.length;
      if (/[A-Za-z0-9_]/.test(text[at] ?? "")) throw fault("A number ends in letters here.", start, at + 1);
      tokens.push({ kind: "number", value: numberOf(found, start), start, end: at });
    } else if (character === "`") {
      const end = text.indexOf("`", at + 1);
      const inner = end < 0 ? "" : text.slice(at + 1, end);
      if (!/^[A-Za-z0-9_.\-/ ]+$/.test(inner))
        throw fault(
          "A name in back quotes holds letters, digits, dots, dashes, slashes and spaces.",
          at,
          end < 0 ? text.length : end + 1,
        );
      at = end + 1;
      tokens.push({ kind: "quoted-name", text: inner, start, end: at });
    } else {
      const pair = text.slice(at, at + 2);
      const sign = pairs.has(pair) ? pair : singles.has(character) ? character : undefined;
      if (sign === undefined) throw fault(`"${printable(character)}" has no meaning here.`, at, at + 1);
      at += sign.length;
      tokens.push({ kind: "sign", text: sign, start, end: at });
    }
  }
  tokens.push({ kind: "end", start: text.length, end: text.length });
  return tokens;
}

function fault(message: string, start: number, end: number): ExpressionError {
  return new ExpressionError("syntax", message, start, end);
}

function printable(character: string): string {
  return character < " " ? `\\u${character.charCodeAt(0).toString(16).padStart(4, "0")}` : character;
}

function numberOf(text: string, start: number): number | bigint {
  const bare = text.replace(/[uU]$/, "");
  const unsigned = bare !== text;
  if (/^0[xX]/.test(bare) || /^\d+$/.test(bare)) return BigInt(bare);
  if (unsigned) throw fault("Only a whole number can end in u.", start, start + text.length);
  return Number(bare);
}

const opening = /([rRbB]{0,2})("""|'''|"|')/y;

/** A text or bytes literal, with its prefix; undefined if none begins. */
function readQuoted(text: string, start: number): Token | undefined {
  opening.lastIndex = start;
  const match = opening.exec(text);
  if (!match) return undefined;
  const [whole, prefix = "", quote = ""] = match;
  const letters = prefix.toLowerCase();
  if (letters === "rr" || letters === "bb") return undefined;
  const raw = letters.includes("r");
  const isBytes = letters.includes("b");
  const made: number[] = [];
  let value = "";
  let at = start + whole.length;
  for (;;) {
    if (at >= text.length) throw fault(`This text is not closed by ${quote}.`, start, text.length);
    if (text.startsWith(quote, at)) break;
    const character = String.fromCodePoint(text.codePointAt(at) as number);
    if (quote.length === 1 && /[\r\n]/.test(character))
      throw fault(
        "A text in single quotes of any kind ends on its line; three quotes hold several lines.",
        start,
        at,
      );
    if (character === "\\" && !raw) {
      const escape = readEscape(text, at, isBytes);
      if (isBytes && escape.byte !== undefined) made.push(escape.byte);
      else if (isBytes) made.push(...new TextEncoder().encode(escape.text));
      else value += escape.text;
      at = escape.end;
    } else {
      // A line end within three quotes is a line feed, however the text was saved.
      const taken = text.startsWith("\r\n", at) ? "\r\n" : character;
      const letter = taken === "\r\n" || taken === "\r" ? "\n" : taken;
      if (isBytes) made.push(...new TextEncoder().encode(letter));
      else value += letter;
      at += taken.length;
    }
  }
  const end = at + quote.length;
  return isBytes
    ? { kind: "bytes", value: Uint8Array.from(made), start, end }
    : { kind: "text", value, start, end };
}

const plain: Record<string, string> = {
  a: "\u0007",
  b: "\b",
  f: "\f",
  n: "\n",
  r: "\r",
  t: "\t",
  v: "\v",
  "\\": "\\",
  "?": "?",
  '"': '"',
  "'": "'",
  "`": "`",
};
const coded = /\\(?:[xX]([0-9a-fA-F]{2})|([0-3][0-7]{2})|u([0-9a-fA-F]{4})|U([0-9a-fA-F]{8}))/y;

/** One escape sequence; in bytes `\x` and octal ones are single bytes, and `\u` is not allowed. */
function readEscape(
  text: string,
  at: number,
  inBytes: boolean,
): { text: string; byte?: number; end: number } {
  const short = plain[text[at + 1] ?? ""];
  if (short !== undefined) return { text: short, end: at + 2 };
  coded.lastIndex = at;
  const match = coded.exec(text);
  const [whole, hex, octal, four, eight] = match ?? [];
  const wide = four ?? eight;
  if (whole === undefined || (inBytes && wide !== undefined))
    throw fault(
      `\\${text[at + 1] ?? ""} is not an escape that a text can have; a backslash is written \\\\.`,
      at,
      Math.min(at + 2, text.length),
    );
  const code =
    hex !== undefined
      ? Number.parseInt(hex, 16)
      : octal !== undefined
        ? Number.parseInt(octal, 8)
        : Number.parseInt(wide as string, 16);
  if (code > 0x10ffff || (code >= 0xd800 && code <= 0xdfff))
    throw fault(`${whole} is not the code of a character.`, at, at + whole.length);
  return { text: String.fromCodePoint(code), byte: code, end: at + whole.length };
}
