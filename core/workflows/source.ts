import {
  isAlias,
  isCollection,
  isMap,
  isPair,
  isScalar,
  isSeq,
  LineCounter,
  parseDocument,
  type Document,
  type Node,
  type Pair,
  type Scalar,
} from "yaml";
import { numberFromDigits, setOwn, type Json, type JsonObject } from "../values/json.js";
import { printPath, type Path } from "../values/paths.js";
import type { Problem } from "./problems.js";

/** How many values a file may hold, aliases counted as often as they stand: against files that blow up. */
const mostValues = 100_000;
/** How long a workflow file may be, in characters. */
export const longestFile = 2_000_000;

/** A workflow file's text, its YAML tree, and the way back from a field to its line and column. */
export class Source {
  readonly #document: Document;
  readonly #lines = new LineCounter();
  readonly problems: Problem[] = [];

  constructor(readonly text: string) {
    this.#document = parseDocument(text.slice(0, longestFile), {
      lineCounter: this.#lines,
      version: "1.2",
      prettyErrors: false,
      keepSourceTokens: false,
    });
    if (text.length > longestFile)
      this.#at(0, 1, "too-large", `A workflow file may be ${longestFile} characters long.`, []);
    for (const fault of [...this.#document.errors, ...this.#document.warnings]) {
      if (fault.code === "TAG_RESOLVE_FAILED") continue; // said better below
      this.#at(fault.pos[0], fault.pos[1], "yaml", this.#explain(fault.message, fault.pos[0]), []);
    }
    this.#traps(this.#document.contents as Node | null, [], false);
  }

  /** The file's value; numbers that a double does not hold keep their digits. Undefined when it cannot be read. */
  value(): Json | undefined {
    if (this.problems.some((problem) => problem.severity === "error")) return undefined;
    let left = mostValues;
    const convert = (node: unknown): Json => {
      if (--left < 0) throw new RangeError("too many values");
      if (isAlias(node)) return convert(node.resolve(this.#document));
      if (isMap(node)) {
        const object: JsonObject = {};
        for (const pair of node.items)
          setOwn(object, String((pair.key as Scalar).value), convert(pair.value));
        return object;
      }
      if (isSeq(node)) return node.items.map(convert);
      if (!isScalar(node)) return null;
      const { value, source } = node;
      if (typeof value === "number" && source && /^-?\d+(\.\d+)?([eE][+-]?\d+)?$/.test(source))
        return numberFromDigits(source);
      if (typeof value === "number" || typeof value === "string" || typeof value === "boolean") return value;
      return value === null || value === undefined ? null : String(value);
    };
    try {
      return convert(this.#document.contents);
    } catch {
      this.#at(0, 1, "too-large", `The file holds more than ${mostValues} values.`, []);
      return undefined;
    }
  }

  /** Notes a problem at a field; `start` and `end` narrow it to a part of the field's text. */
  report(
    path: Path,
    code: string,
    message: string,
    part?: { text: string; start: number; end: number },
    severity: Problem["severity"] = "error",
  ): void {
    const [from, to] = this.#range(path);
    if (part) {
      const inner = this.text.slice(from, to).indexOf(part.text);
      if (inner >= 0) {
        this.#at(
          from + inner + part.start,
          from + inner + Math.max(part.end, part.start + 1),
          code,
          message,
          path,
          severity,
        );
        return;
      }
    }
    this.#at(from, to, code, message, path, severity);
  }

  /** Notes a problem at a key of the object at `path`. */
  reportKey(
    path: Path,
    key: string,
    code: string,
    message: string,
    severity: Problem["severity"] = "error",
  ): void {
    const node = this.#node(path);
    const pair = isMap(node)
      ? node.items.find((item) => isScalar(item.key) && String(item.key.value) === key)
      : undefined;
    const range = (pair?.key as Node | undefined)?.range;
    const [from, to] = range ?? this.#range(path);
    this.#at(from, to, code, message, [...path, key], severity);
  }

  /** The line (from 1) on which a field begins. */
  line(path: Path): number {
    const parent = this.#node(path.slice(0, -1));
    const last = path[path.length - 1];
    const pair = isMap(parent)
      ? parent.items.find((item) => isScalar(item.key) && String(item.key.value) === String(last))
      : undefined;
    const start = (pair?.key as Node | undefined)?.range?.[0] ?? this.#range(path)[0];
    return this.#lines.linePos(start).line;
  }

  /** The scalar's node at a path, for looking at how it was written. */
  scalar(path: Path): Scalar | undefined {
    const node = this.#node(path);
    return isScalar(node) ? node : undefined;
  }

  isAlias(path: Path): boolean {
    return isAlias(this.#node(path));
  }

  #node(path: Path): unknown {
    return path.length === 0
      ? this.#document.contents
      : this.#document.getIn(path as (string | number)[], true);
  }

  #range(path: Path): [number, number] {
    for (let length = path.length; length >= 0; length--) {
      const node = this.#node(path.slice(0, length)) as Node | undefined;
      if (node?.range)
        return [
          node.range[0],
          isCollection(node) ? Math.min(node.range[1], this.#lineEnd(node.range[0])) : node.range[1],
        ];
    }
    return [0, 1];
  }

  #lineEnd(offset: number): number {
    const end = this.text.indexOf("\n", offset);
    return end < 0 ? this.text.length : end;
  }

  #at(
    from: number,
    to: number,
    code: string,
    message: string,
    path: Path,
    severity: Problem["severity"] = "error",
  ): void {
    const start = this.#lines.linePos(from);
    if (this.problems.some((known) => known.line === start.line && known.message === message)) return;
    const end = this.#lines.linePos(Math.max(to, from + 1));
    this.problems.push({
      severity,
      code,
      message,
      line: Math.max(start.line, 1),
      column: Math.max(start.col, 1),
      endLine: Math.max(end.line, 1),
      endColumn: Math.max(end.col, 1),
      field: printPath(path),
    });
  }

  /** A YAML fault in words that help: where `${…}` stands unquoted in a `{ … }` mapping, says so. */
  #explain(message: string, offset: number): string {
    const start = this.text.lastIndexOf("\n", offset - 1) + 1;
    const line = this.text.slice(start, this.#lineEnd(offset));
    const cut = /[{,[]\s*(?:[\w"'-]+\s*:\s*)?(\$\{[^"'}]*\})/.exec(line);
    if (cut) return `Inside { } or [ ], a value with \${ } must be in quotes: "${cut[1]}".`;
    if (/tab/i.test(message)) return "YAML is indented with spaces, not with tabs.";
    return message.replace(/\s*\n[\s\S]*$/, "");
  }

  /** What YAML accepts and means otherwise than it looks: tags, and texts that are cut by ` #`. */
  #traps(node: Node | null | undefined, path: Path, inFlow: boolean): void {
    if (!node) return;
    if (node.tag && !node.tag.startsWith("tag:yaml.org,2002:") && node.range) {
      const from = Math.max(this.text.lastIndexOf("!", node.range[0]), 0);
      const line = this.text.slice(from, this.#lineEnd(from)).trim();
      this.#at(
        from,
        from + line.length,
        "yaml-tag",
        `To YAML, a value that begins with ! is a tag. Put it in quotes: "${line}".`,
        path,
      );
      return;
    }
    if (isMap(node)) {
      for (const pair of node.items as Pair<Node, Node | null>[]) {
        const key = isScalar(pair.key) ? String(pair.key.value) : "";
        this.#traps(pair.value, [...path, key], Boolean(node.flow));
      }
    } else if (isSeq(node)) {
      node.items.forEach((item, index) =>
        this.#traps((isPair(item) ? item.value : item) as Node, [...path, index], Boolean(node.flow)),
      );
    } else if (isScalar(node) && node.type === "PLAIN" && typeof node.value === "string" && node.range) {
      const dollar = node.value.includes("${") && !closes(node.value);
      if (dollar) {
        const line = this.text.slice(node.range[0], this.#lineEnd(node.range[0]));
        const where = inFlow ? "Inside { } or [ ], a" : "A";
        this.#at(
          node.range[0],
          node.range[1],
          "yaml-cut",
          `${where} value with \${ } that holds " #", ": " or , must be in quotes: "${line.trim()}".`,
          path,
        );
      }
    }
  }
}

function closes(text: string): boolean {
  return text.lastIndexOf("}") > text.lastIndexOf("${");
}
