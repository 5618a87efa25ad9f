import { isAlias, isMap, isNode, isScalar, isSeq, type Node, type Scalar } from "yaml";
import { bounds } from "../values/bounds.js";
import { numberFromDigits, setOwn, type Json, type JsonObject } from "../values/json.js";

/** Makes values of YAML's nodes, and counts them; numbers that a double does not hold keep their digits. */
export class ValueMaker {
  /** The last node of a name before an alias is the one that it means (YAML 1.2, section 7.1). */
  readonly #anchors = new Map<string, Node>();
  made = 0;

  /** Whether a node has a name that others may use. */
  get hasAnchors(): boolean {
    return this.#anchors.size > 0;
  }

  /**
   * The value of a node whose mappings have each key once.
   * @throws RangeError where there are too many values, or they are too deep in each other
   */
  value(node: unknown, depth: number): Json {
    if (++this.made > bounds.fileValues || depth > bounds.jsonDepth) throw new RangeError("too much");
    if (isAlias(node)) return this.value(this.#anchors.get(node.source), depth + 1);
    if (isNode(node) && node.anchor) this.#anchors.set(node.anchor, node);
    if (isMap(node)) {
      const object: JsonObject = {};
      for (const pair of node.items)
        setOwn(object, String((pair.key as Scalar).value), this.value(pair.value, depth + 1));
      return object;
    }
    if (isSeq(node)) return node.items.map((item) => this.value(item, depth + 1));
    if (!isScalar(node)) return null;
    const { value, source } = node;
    if (typeof value === "number" && source && /^-?\d+(\.\d+)?([eE][+-]?\d+)?$/.test(source))
      return numberFromDigits(source);
    if (typeof value === "number" || typeof value === "string" || typeof value === "boolean") return value;
    return value === null || value === undefined ? null : String(value);
  }
}
