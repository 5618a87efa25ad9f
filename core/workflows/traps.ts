import { isAlias, isMap, isPair, isScalar, isSeq, type Node, type Pair, type YAMLMap } from "yaml";
import { bounds } from "../values/bounds.js";
import type { Path } from "../values/paths.js";
import { leavesOpen, lineEnd } from "./edit-text.js";
import type { ProblemList } from "./problem-list.js";
import { inQuotes } from "./yaml-words.js";

/** What YAML accepts and means otherwise than it looks: tags, and texts that are cut by ` #`. */
export class Traps {
  /** The names that aliases may use, as far as the file was looked through. */
  readonly #anchors = new Set<string>();

  constructor(
    readonly text: string,
    readonly problems: ProblemList,
  ) {}

  /** Notes the traps in a node and below it. */
  look(node: Node | null | undefined, path: Path, inFlow: boolean): void {
    if (!node) return;
    if (isAlias(node)) {
      if (this.#anchors.has(node.source)) return;
      const [from, to] = placeOf(node);
      const message = `To YAML, a value that begins with * is an alias, of which there is none here. Put it in quotes: "*${node.source}".`;
      return this.problems.at(from, to, "yaml", message, path);
    }
    if (node.anchor) this.#anchors.add(node.anchor);
    if (node.tag && !node.tag.startsWith("tag:yaml.org,2002:") && node.range) {
      const from = Math.max(this.text.lastIndexOf("!", node.range[0]), 0);
      const line = this.text.slice(from, lineEnd(this.text, from)).trim();
      const message = `To YAML, a value that begins with ! is a tag. Put it in quotes: "${line}".`;
      this.problems.at(from, from + line.length, "yaml-tag", message, path);
      return;
    }
    if (isMap(node)) {
      this.lookAtKeys(node, path);
      for (const pair of node.items as Pair<Node, Node | null>[]) {
        const key = isScalar(pair.key) ? String(pair.key.value) : "";
        this.look(pair.value, [...path, key], Boolean(node.flow));
      }
    } else if (isSeq(node)) {
      node.items.forEach((item, index) =>
        this.look((isPair(item) ? item.value : item) as Node, [...path, index], Boolean(node.flow)),
      );
    } else if (isScalar(node) && node.type === "PLAIN" && typeof node.value === "string" && node.range)
      this.#lookAtText(node.value, node.range, path, inFlow);
  }

  /** Each key of a mapping stands once (YAML 1.2, section 3.2.1.3), and there are not too many. */
  lookAtKeys(node: YAMLMap, path: Path): void {
    if (node.items.length > bounds.fileKeys) {
      const [from, to] = placeOf(node);
      this.problems.at(from, to, "too-large", `A mapping may have ${bounds.fileKeys} keys.`, path);
      return;
    }
    const seen = new Set<string>();
    for (const { key, value } of node.items) {
      const name = isScalar(key) ? String(key.value) : undefined;
      const [, before, behind] = (value === null && /^([\w.-]+) ?= ?(\S.*)$/.exec(name ?? "")) || [];
      if (before !== undefined) {
        const [from, to] = placeOf(key);
        const message = `"${name}" is a key without a value. Write ${before}: ${behind}.`;
        this.problems.at(from, to, "yaml", message, path);
      }
      if (name === undefined || seen.has(name)) {
        const [from, to] = placeOf(key);
        const message = name === undefined ? this.#noKey(from) : `The key "${name}" is used twice.`;
        this.problems.at(from, to, "yaml", message, path);
      } else seen.add(name);
    }
  }

  /** A plain text with a `${` that YAML cuts before its end. */
  #lookAtText(value: string, [from, to]: readonly number[], path: Path, inFlow: boolean): void {
    if (!leavesOpen(value)) return;
    const [start, end] = [from as number, to as number];
    const line = this.text.slice(start, lineEnd(this.text, start));
    if (!line.includes("}", line.lastIndexOf("${"))) {
      const inner = line.slice(line.lastIndexOf("${") + 2).trim();
      const message = `A \${ is not closed: a } is missing behind "${inner}".`;
      this.problems.at(start, end, "yaml-cut", message, path);
      return;
    }
    const where = inFlow ? "Inside { } or [ ], a" : "A";
    const message = `${where} value with \${ } that holds " #", ": " or , must be in quotes: ${inQuotes(line.trim())}.`;
    this.problems.at(start, end, "yaml-cut", message, path);
  }

  /** Why a mapping cannot be a key; mostly it is an expression in the braces of other tools. */
  #noKey(at: number): string {
    const meant = this.text.startsWith("{", at) && this.text[at - 1] === "{";
    return meant
      ? "A key must be a text. If an expression is meant, write it without {{ and }}."
      : "A key must be a text.";
  }
}

function placeOf(node: unknown): [number, number] {
  const range = (node as Node | undefined)?.range;
  return range ? [range[0], range[1]] : [0, 1];
}
