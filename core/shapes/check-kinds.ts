import { article } from "../expressions/evaluation.js";
import type { Node } from "../expressions/parse.js";
import type { Kind } from "../expressions/values.js";
import { anything, type Shape } from "./shape.js";

/** What a check found in an expression: nothing that stops it, but what will probably go wrong. */
export interface Finding {
  code: "unknown-field" | "misspelt" | "wrong-kind" | "null" | "absent" | "never" | "unused";
  message: string;
  /** Offsets in the expression's text. */
  start: number;
  end: number;
}

/** The shapes of the names in scope; a name that is not there has a shape that nobody knows. */
export type ShapeScope = ReadonlyMap<string, Shape>;

/** The walk over one expression; shared by the parts of the check. */
export interface Checking {
  text: string;
  findings: Finding[];
  /** Above zero inside `default(…)` and `has(…)`, where what is absent or null is provided for. */
  lenient: number;
  note(code: Finding["code"], message: string, node: Node): void;
  shape(node: Node, scope: ShapeScope): Shape;
  source(node: Node): string;
}

/** The value in an optional one, as far as it is known. */
export function insideOptional(shape: Shape): Shape {
  return shape.kinds?.length === 1 && shape.kinds[0] === "optional" ? (shape.items?.() ?? anything) : shape;
}

/** Reports a value that cannot be of a wanted kind, or may be null if null is an error. */
export function wantKinds(
  checking: Checking,
  node: Node,
  shape: Shape,
  wanted: readonly Kind[],
  what: string,
): void {
  const { kinds } = shape;
  const source = checking.source(node);
  if (kinds && kinds.length > 0 && !kinds.some((kind) => wanted.includes(kind)))
    checking.note(
      "wrong-kind",
      `${what} wants ${wanted.map(article).join(" or ")}; ${source} is ${article(kinds[0] as Kind)}.${hintFor(kinds, wanted, source)}`,
      node,
    );
  else if (shape.nullable && checking.lenient === 0 && !wanted.includes("null"))
    checking.note("null", `${source} may be null. Give a value for that case: default(${source}, …).`, node);
}

function hintFor(kinds: readonly Kind[], wanted: readonly Kind[], source: string): string {
  if (kinds.includes("text") && wanted.includes("number"))
    return ` number(${source}) reads a number from a text.`;
  return kinds.includes("number") && wanted.includes("text") ? ` string(${source}) turns it into text.` : "";
}

/** A condition: true or false, and not always the same. */
export function condition(checking: Checking, node: Node, shape: Shape, what: string): void {
  wantKinds(checking, node, shape, ["boolean"], what);
  if (node.op === "literal" && typeof node.value === "boolean" && what !== "!")
    checking.note("never", `This is always ${node.value}, so one side of ${what} is never reached.`, node);
}
