import { NotUnderstood } from "./request.js";

/** The words of one command, and the text that a here-document gives to its standard input. */
export interface ShellCommand {
  words: string[];
  input?: string;
}

/** Of which shell a text is: what ends a line that goes on, and how quotes work. */
export type Shell = "posix" | "cmd" | "powershell";

/** The shell that a command was written for, by how its lines go on. */
export function shellOf(text: string): Shell {
  if (/`[ \t]*\r?\n/.test(text)) return "powershell";
  return /\^[ \t]*\r?\n/.test(text) || /\s\^"/.test(text) ? "cmd" : "posix";
}

/**
 * The commands of a pasted text, each as its words: quotes and continued lines of the shell are resolved, comments are
 * passed over, variables that the text sets are put in. Others stay as they are written.
 * @throws NotUnderstood if a quote does not end
 */
export function commandsOf(text: string): ShellCommand[] {
  const shell = shellOf(text);
  if (shell === "posix") return new Posix(text).read();
  const joined =
    shell === "cmd"
      ? text.replace(/\^[ \t]*\r?\n/g, " ").replace(/\^([\s\S])/g, "$1")
      : text.replace(/`[ \t]*\r?\n/g, " ");
  return joined.split(/\r?\n/).flatMap((line) => {
    const words = shell === "cmd" ? cmdWords(line) : powershellWords(line);
    return words.length > 0 ? [{ words }] : [];
  });
}

/** Words as programs of Windows split them: double quotes, `\"` and `""` for one inside. */
function cmdWords(line: string): string[] {
  return split(line, (reader) => {
    if (reader.peek() !== '"') return false;
    reader.at++;
    for (;;) {
      const next = reader.need('"');
      if (next === "\\" && reader.peek() === '"') reader.word += reader.take();
      else if (next !== '"') reader.word += next;
      else if (reader.peek() === '"') reader.word += reader.take();
      else return true;
    }
  });
}

/** PowerShell: `'…'` with `''` inside, `"…"` with backtick escapes; `\"` is one quote for the program that is called. */
function powershellWords(line: string): string[] {
  const words = split(line, (reader) => {
    const quote = reader.peek();
    if (quote !== '"' && quote !== "'") return false;
    reader.at++;
    for (;;) {
      const next = reader.need(quote);
      if (next === "`" && quote === '"') reader.word += reader.take();
      // An escaped quote is one for the program that is called, and does not end the text.
      else if (next === "\\" && reader.peek() === '"' && quote === '"') reader.word += reader.take();
      else if (next !== quote) reader.word += next;
      else if (reader.peek() === quote) reader.word += reader.take();
      else return true;
    }
  });
  return words.map((word) => word.replaceAll('\\"', '"'));
}

/** Splits at blanks; `quoted` takes a quoted part where one begins. */
function split(text: string, quoted: (reader: Reader) => boolean): string[] {
  const reader = new Reader(text);
  const words: string[] = [];
  let some = false;
  for (;;) {
    const next = reader.peek();
    if (next === "" || /\s/.test(next)) {
      if (some) words.push(reader.word);
      if (next === "") return words;
      [reader.word, some] = ["", false];
      reader.at++;
      continue;
    }
    some = true;
    if (!quoted(reader)) reader.word += reader.take();
  }
}

class Reader {
  at = 0;
  word = "";
  constructor(readonly text: string) {}

  peek(): string {
    return this.text.charAt(this.at);
  }

  take(): string {
    return this.text.charAt(this.at++);
  }

  /** The next character inside of quotes. */
  need(quote: string): string {
    if (this.at >= this.text.length)
      throw new NotUnderstood(
        `The command cannot be split into words: a ${quote} has no end. Is a quote missing?`,
      );
    return this.take();
  }
}

/** The POSIX shell (IEEE Std 1003.1, Shell Command Language, sections 2.2 and 2.7.4), and `$'…'` of bash. */
class Posix extends Reader {
  readonly commands: ShellCommand[] = [];
  readonly variables = new Map<string, string>();
  words: string[] = [];
  /** Whether a word has begun, which may be empty. */
  some = false;
  /** Whether the next word is the target of a redirection. */
  aside = false;
  input: string | undefined;
  /** Here-documents whose text stands behind the line: how each ends. */
  awaited: string[] = [];
  /** How many more are read: each looks for its end in all that follows. */
  documents = 20;

  read(): ShellCommand[] {
    while (this.at < this.text.length) this.#next();
    this.#endCommand();
    return this.commands;
  }

  #next(): void {
    const next = this.take();
    switch (next) {
      case "\\":
        return this.#escaped();
      case "'":
        return this.#quoted(() => this.#until("'"));
      case '"':
        return this.#quoted(() => this.#double());
      case "$":
        if (this.peek() === "'") {
          this.at++;
          return this.#quoted(() => this.#ansi());
        }
        return this.#add(this.#variable());
      case "\n":
        return this.#lineEnd();
      case " ":
      case "\t":
      case "\r":
        return this.#endWord();
      case "#":
        if (this.some) return this.#add(next);
        while (this.at < this.text.length && this.peek() !== "\n") this.at++;
        return;
      case "<":
      case ">":
        if (this.#inAngles(next)) return;
        return this.#redirection(next);
      case ";":
      case "|":
        return this.#endCommand();
      case "&":
        // In an address without quotes it is a part of the query; who pasted it meant it so.
        if (this.some && /[?&][^&]*$/.test(this.word) && /\S/.test(this.peek()) && this.peek() !== "&")
          return this.#add(next);
        return this.#endCommand();
      default:
        this.#add(next);
    }
  }

  #add(text: string): void {
    this.some = true;
    this.word += text;
  }

  #quoted(inner: () => void): void {
    this.some = true;
    inner();
  }

  /** A backslash goes on with the line, also with blanks behind it; else it takes the next character as it is. */
  #escaped(): void {
    const rest = /^[ \t]*\r?\n/.exec(this.text.slice(this.at, this.at + 100));
    if (rest) {
      this.at += rest[0].length;
      return this.#endWord();
    }
    this.#add(this.take());
  }

  #until(quote: string): void {
    for (let next = this.need(quote); next !== quote; next = this.need(quote)) this.word += next;
  }

  #double(): void {
    for (;;) {
      const next = this.need('"');
      if (next === '"') return;
      if (next === "\\" && this.peek() === "\n") this.at++;
      else if (next === "\\" && /["\\$`]/.test(this.peek())) this.word += this.take();
      else if (next === "$") this.word += this.#variable();
      else this.word += next;
    }
  }

  /** `$'…'` with the escapes of C. */
  #ansi(): void {
    const start = this.at;
    while (this.need("'") !== "'") if (this.text.charAt(this.at - 1) === "\\") this.at++;
    this.word += this.text
      .slice(start, this.at - 1)
      .replace(
        /\\(u[0-9a-fA-F]{1,4}|U[0-9a-fA-F]{1,8}|x[0-9a-fA-F]{1,2}|[0-7]{1,3}|[\s\S])/g,
        (_whole, code) => ansiEscape(code as string),
      );
  }

  /** What stands behind a `$`: a variable that was set, `$(cat <<EOF …)`, or just what is written. */
  #variable(): string {
    const rest = this.text.slice(this.at);
    const here = /^\(\s*cat\s+<<-?\s*['"]?(\w+)['"]?[^\n]*\n/.exec(rest.slice(0, 200));
    if (here) {
      const body = this.#document(this.at + here[0].length, here[1] as string);
      if (body) {
        const close = this.text.indexOf(")", body.end);
        this.at = close < 0 ? this.text.length : close + 1;
        return body.text;
      }
    }
    const name = /^(?:\{(\w+)\}|(\w+))/.exec(rest.slice(0, 100));
    const value = this.variables.get(name?.[1] ?? name?.[2] ?? "");
    if (!name || value === undefined) return "$";
    this.at += name[0].length;
    return value;
  }

  /** `<guest-id>` is a place to fill in and no redirection. */
  #inAngles(next: string): boolean {
    const place = next === "<" ? /^[A-Za-z][\w -]*>/.exec(this.text.slice(this.at, this.at + 80)) : null;
    if (!place) return false;
    this.#add(next + place[0]);
    this.at += place[0].length;
    return true;
  }

  #redirection(next: string): void {
    if (/^\d?$/.test(this.word)) [this.word, this.some] = ["", false];
    this.#endWord();
    const here = next === "<" && /^<(<|-?\s*['"]?(\w+)['"]?)/.exec(this.text.slice(this.at, this.at + 80));
    if (here) {
      this.at += here[0].length;
      if (here[2] !== undefined) this.awaited.push(here[2]);
      return;
    }
    while (/[>&]/.test(this.peek()) && this.peek() !== "") this.at++;
    this.aside = true;
  }

  /** The text of a here-document that begins at a place. */
  #document(at: number, end: string): { text: string; end: number } | undefined {
    if (--this.documents < 0) return undefined;
    const found = new RegExp(`(^|\\n)[ \\t]*${end}[ \\t]*(?=\\r?\\n|\\)|$)`).exec(this.text.slice(at));
    if (!found) return undefined;
    return { text: this.text.slice(at, at + found.index), end: at + found.index + found[0].length };
  }

  /** A line ends a command, but for one that goes on with an option: its continuation was lost where it was copied. */
  #lineEnd(): void {
    for (const end of this.awaited.splice(0)) {
      const body = this.#document(this.at, end);
      if (!body) continue;
      this.input = body.text;
      this.at = body.end;
    }
    const goesOn = /^[ \t]*-{1,2}[A-Za-z]/.test(this.text.slice(this.at, this.at + 100));
    if (goesOn && (this.words.length > 0 || this.some)) this.#endWord();
    else this.#endCommand();
  }

  #endWord(): void {
    if (this.some) {
      const set = /^([A-Za-z_]\w*)=([\s\S]*)$/.exec(this.word);
      const first = this.words.length === 0;
      if (this.aside) this.aside = false;
      else if (set && first) this.variables.set(set[1] as string, set[2] as string);
      else if (!(first && /^(export|set|sudo|command|time|env)$/.test(this.word))) this.words.push(this.word);
    }
    [this.word, this.some] = ["", false];
  }

  #endCommand(): void {
    this.#endWord();
    this.aside = false;
    if (this.words.length > 0)
      this.commands.push({
        words: this.words,
        ...(this.input === undefined ? {} : { input: this.input }),
      });
    this.words = [];
    this.input = undefined;
  }
}

function ansiEscape(code: string): string {
  const simple: Record<string, string> = {
    ...{ n: "\n", t: "\t", r: "\r", a: "\x07", b: "\b", e: "\x1b", f: "\f", v: "\v" },
  };
  if (/^[0-7]/.test(code)) return String.fromCharCode(Number.parseInt(code, 8) & 255);
  const digits = code.slice(1);
  if (/^[xuU]./.test(code)) {
    const point = Number.parseInt(digits, 16);
    return point > 0x10ffff ? "" : String.fromCodePoint(point);
  }
  return simple[code] ?? code;
}
