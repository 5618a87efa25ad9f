import { isAlias, isCollection, isMap, isScalar, isSeq, type Node, type Scalar } from "yaml";
import type { Json } from "../values/json.js";
import type { Path } from "../values/paths.js";
import { lineEnd, pairOf, rangeOf } from "./edit-text.js";
import { ProblemList } from "./problem-list.js";
import type { Problem } from "./problems.js";
import { readingOf, type Reading } from "./reading.js";

/** A workflow file's text, its value, and the way back from a field to its line and column. */
export class Source {
  readonly #reading: Reading;
  readonly #list: ProblemList;

  constructor(readonly text: string) {
    this.#reading = readingOf(text);
    this.#list = new ProblemList(text, this.#reading.lineStarts, this.#reading.problems);
  }

  /** Those of how the file is written, and those that were reported. */
  get problems(): Problem[] {
    return this.#list.problems;
  }

  /**
   * The file's value, which nobody may change; numbers that a double does not hold keep their digits. Undefined when it
   * cannot be read.
   */
  get value(): Json | undefined {
    return this.#reading.value;
  }

  /** Notes a problem at a field; `start` and `end` narrow it to a part of the field's text. */
  report(
    path: Path,
    code: string,
    message: string,
    part?: { text: string; start: number; end: number },
    severity: Problem["severity"] = "error",
  ): void {
    if (this.#list.isFull) return;
    const [from, to] = this.#range(path);
    if (part) {
      const inner = this.#placeIn(from, to, part.text);
      if (inner >= 0) {
        this.#list.at(
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
    this.#list.at(from, to, code, message, path, severity);
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
    if (this.#list.isFull) return;
    const [from, to] = this.#keyRange(path, key) ?? this.#range(path);
    this.#list.at(from, to, code, message, [...path, key], severity);
  }

  /** The line (from 1) on which a field begins. */
  line(path: Path): number {
    const [start] = this.#keyRange(path.slice(0, -1), path.at(-1)) ?? this.#range(path);
    return this.#list.place(start).line;
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
    let node: unknown = this.#reading.root;
    for (const part of path) {
      if (isMap(node)) node = pairOf(node, part)?.value;
      else if (isSeq(node)) node = node.items[Number(part)];
      else return undefined;
    }
    return node;
  }

  #keyRange(path: Path, key: string | number | undefined): Node["range"] {
    const node = this.#node(path);
    return isMap(node) && key !== undefined ? (pairOf(node, key)?.key as Node | undefined)?.range : undefined;
  }

  #range(path: Path): [number, number] {
    for (let length = path.length; length >= 0; length--) {
      const node = this.#node(path.slice(0, length)) as Node | undefined;
      if (!node?.range) continue;
      const [from, to] = rangeOf(node, this.text);
      return [from, isCollection(node) ? Math.min(to, lineEnd(this.text, from)) : node.range[1]];
    }
    return [0, 1];
  }
}
