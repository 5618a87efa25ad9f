import {
  Document,
  isAlias,
  isCollection,
  isMap,
  isNode,
  isPair,
  isScalar,
  isSeq,
  LineCounter,
  type Node,
  type Pair,
  type Scalar,
  type YAMLMap,
} from "yaml";
import { bounds } from "../values/bounds.js";
import { numberFromDigits, setOwn, type Json, type JsonObject } from "../values/json.js";
import { printPath, type Path } from "../values/paths.js";
import type { Problem } from "./problems.js";
import { readYaml, yamlBounds, YamlBeyondBounds } from "./yaml-bounds.js";
import { explainYaml, inQuotes } from "./yaml-words.js";

/** A workflow file's text, its YAML tree, and the way back from a field to its line and column. */
export class Source {
  readonly #document: Document;
  readonly #lines = new LineCounter();
  readonly problems: Problem[] = [];
  /** The names that aliases may use, as far as the file was looked through. */
  readonly #anchors = new Set<string>();

  constructor(readonly text: string) {
    this.#document = this.#read();
    const faults = [...this.#document.errors, ...this.#document.warnings];
    // What follows the first is mostly its consequence. Tags are said better below.
    const fault = faults.find(({ code }) => code !== "TAG_RESOLVE_FAILED");
    if (fault) {
      const { message, from, to } = explainYaml(fault.code, text, fault.pos, fault.message);
      this.#at(from, to, "yaml", message, []);
    } else this.#traps(this.#document.contents as Node | null, [], false);
  }

  #read(): Document {
    const { text } = this;
    if (text.length > bounds.fileLength) {
      this.#at(0, 1, "too-large", `A workflow file may be ${bounds.fileLength} characters long.`, []);
      return new Document();
    }
    try {
      return readYaml(text, yamlBounds(bounds.fileValues), this.#lines);
    } catch (error) {
      if (!(error instanceof YamlBeyondBounds)) throw error;
      const code = error.what === "faults" ? "yaml" : error.what === "depth" ? "too-deep" : "too-large";
      this.#at(error.offset, error.offset + 1, code, error.message, []);
      return new Document();
    }
  }

  /** The file's value; numbers that a double does not hold keep their digits. Undefined when it cannot be read. */
  value(): Json | undefined {
    if (this.problems.some((problem) => problem.severity === "error")) return undefined;
    let left = bounds.fileValues;
    // The last node of a name before an alias is the one that it means (YAML 1.2, section 7.1).
    const anchors = new Map<string, Node>();
    const convert = (node: unknown, depth: number): Json => {
      if (--left < 0 || depth > bounds.jsonDepth) throw new RangeError("too much");
      if (isAlias(node)) return convert(anchors.get(node.source), depth + 1);
      if (isNode(node) && node.anchor) anchors.set(node.anchor, node);
      if (isMap(node)) {
        const object: JsonObject = {};
        for (const pair of node.items)
          setOwn(object, String((pair.key as Scalar).value), convert(pair.value, depth + 1));
        return object; // each key once: `#traps` saw to it
      }
      if (isSeq(node)) return node.items.map((item) => convert(item, depth + 1));
      if (!isScalar(node)) return null;
      const { value, source } = node;
      if (typeof value === "number" && source && /^-?\d+(\.\d+)?([eE][+-]?\d+)?$/.test(source))
        return numberFromDigits(source);
      if (typeof value === "number" || typeof value === "string" || typeof value === "boolean") return value;
      return value === null || value === undefined ? null : String(value);
    };
    try {
      return convert(this.#document.contents, 0);
    } catch {
      this.#at(
        0,
        1,
        "too-large",
        `The file holds more than ${bounds.fileValues} values, or an alias that holds itself.`,
        [],
      );
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
    if (this.#isFull) return;
    const [from, to] = this.#range(path);
    if (part) {
      const inner = this.#placeIn(from, to, part.text);
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

  #lastPlace = { from: -1, to: -1, text: "", inner: -1 };
  /** Where a field's text stands in its place in the file, quoted or not: one text may have many problems. */
  #placeIn(from: number, to: number, text: string): number {
    const last = this.#lastPlace;
    if (last.from === from && last.to === to && last.text === text) return last.inner;
    const inner = this.text.slice(from, to).indexOf(text);
    this.#lastPlace = { from, to, text, inner };
    return inner;
  }

  /** Notes a problem at a key of the object at `path`. */
  reportKey(
    path: Path,
    key: string,
    code: string,
    message: string,
    severity: Problem["severity"] = "error",
  ): void {
    if (this.#isFull) return;
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

  /** Whether as many problems are known as are reported. */
  get #isFull(): boolean {
    return this.problems.length >= bounds.fileProblems;
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
    if (this.#isFull) return;
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

  /** Why a mapping cannot be a key; mostly it is an expression in the braces of other tools. */
  #noKey(at: number): string {
    const meant = this.text.startsWith("{", at) && this.text[at - 1] === "{";
    return meant
      ? "A key must be a text. If an expression is meant, write it without {{ and }}."
      : "A key must be a text.";
  }

  /** Each key of a mapping stands once (YAML 1.2, section 3.2.1.3), and there are not too many. */
  #requireKeys(node: YAMLMap, path: Path): void {
    if (node.items.length > bounds.fileKeys) {
      const [from, to] = rangeOf(node);
      this.#at(from, to, "too-large", `A mapping may have ${bounds.fileKeys} keys.`, path);
      return;
    }
    const seen = new Set<string>();
    for (const { key, value } of node.items) {
      const name = isScalar(key) ? String(key.value) : undefined;
      const [, before, behind] = (value === null && /^([\w.-]+) ?= ?(\S.*)$/.exec(name ?? "")) || [];
      if (before !== undefined) {
        const [from, to] = rangeOf(key);
        this.#at(from, to, "yaml", `"${name}" is a key without a value. Write ${before}: ${behind}.`, path);
      }
      if (name === undefined || seen.has(name)) {
        const [from, to] = rangeOf(key);
        const message =
          name === undefined ? this.#noKey(rangeOf(key)[0]) : `The key "${name}" is used twice.`;
        this.#at(from, to, "yaml", message, path);
      } else seen.add(name);
    }
  }

  /** What YAML accepts and means otherwise than it looks: tags, and texts that are cut by ` #`. */
  #traps(node: Node | null | undefined, path: Path, inFlow: boolean): void {
    if (!node) return;
    if (isAlias(node)) {
      if (this.#anchors.has(node.source)) return;
      const [from, to] = rangeOf(node);
      const message = `To YAML, a value that begins with * is an alias, of which there is none here. Put it in quotes: "*${node.source}".`;
      return this.#at(from, to, "yaml", message, path);
    }
    if (node.anchor) this.#anchors.add(node.anchor);
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
      this.#requireKeys(node, path);
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
        if (!line.includes("}", line.lastIndexOf("${"))) {
          const inner = line.slice(line.lastIndexOf("${") + 2).trim();
          const message = `A \${ is not closed: a } is missing behind "${inner}".`;
          this.#at(node.range[0], node.range[1], "yaml-cut", message, path);
          return;
        }
        const where = inFlow ? "Inside { } or [ ], a" : "A";
        this.#at(
          node.range[0],
          node.range[1],
          "yaml-cut",
          `${where} value with \${ } that holds " #", ": " or , must be in quotes: ${inQuotes(line.trim())}.`,
          path,
        );
      }
    }
  }
}

function rangeOf(node: unknown): [number, number] {
  const range = (node as Node | undefined)?.range;
  return range ? [range[0], range[1]] : [0, 1];
}

function closes(text: string): boolean {
  return text.lastIndexOf("}") > text.lastIndexOf("${");
}
