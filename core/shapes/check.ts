import { article } from "../expressions/evaluation.js";
import type { Expression } from "../expressions/compile.js";
import type { Node } from "../expressions/parse.js";
import type { Kind } from "../expressions/values.js";
import { misspelt, nearest } from "../values/nearest.js";
import { shapeOfCall } from "./check-calls.js";
import {
  condition,
  insideOptional,
  wantKinds,
  type Checking,
  type Finding,
  type ShapeScope,
} from "./check-kinds.js";
import { binary } from "./check-operators.js";
import { narrowed, narrowedBefore } from "./guards.js";

export type { Finding, ShapeScope } from "./check-kinds.js";
import { anything, listOf, objectOf, ofKind, ofValue, union, withoutNull, type Shape } from "./shape.js";

/**
 * Checks an expression against the shapes of what it reads, and tells the shape of its result. Where a shape is not
 * known it says nothing rather than guess.
 */
export function checkShapes(
  expression: Pick<Expression, "tree" | "text">,
  scope: ShapeScope,
): { findings: Finding[]; result: Shape } {
  const findings: Finding[] = [];
  const checking: Checking = {
    text: expression.text,
    findings,
    lenient: 0,
    note(code, message, { start, end }) {
      // What may be absent needs no second word about null.
      const told = (one: Finding) =>
        one.start === start && (one.code === code || (code === "null" && one.code === "absent"));
      if (!findings.some(told)) findings.push({ code, message, start, end });
    },
    shape: (node, names) => shapeOf(checking, node, names),
    source: ({ start, end }) => expression.text.slice(start, end),
  };
  return {
    result: shapeOf(checking, expression.tree, scope),
    findings: findings.sort((a, b) => a.start - b.start),
  };
}

function shapeOf(checking: Checking, node: Node, scope: ShapeScope): Shape {
  const shape = (inner: Node) => checking.shape(inner, scope);
  switch (node.op) {
    case "literal":
      return ofLiteral(node.value);
    case "name":
      return scope.get(node.name) ?? anything;
    case "field":
      return node.optional
        ? optionalOf(read(checking, node, shape(node.object), node.key, true))
        : read(checking, node, shape(node.object), node.key, false);
    case "index":
      return index(checking, node, scope);
    case "call":
      return shapeOfCall(checking, node, scope);
    case "list": {
      const items = node.items.map(({ value }) => shape(value));
      return listOf(() => union(items));
    }
    case "map": {
      const known = node.entries.every(
        ({ key, optional }) => key.op === "literal" && typeof key.value === "string" && !optional,
      );
      const shapes = node.entries.map(
        ({ key, value }) =>
          [key.op === "literal" ? String(key.value) : "", (shape(key), shape(value))] as const,
      );
      return known ? objectOf(Object.fromEntries(shapes)) : ofKind("object");
    }
    case "choice": {
      condition(checking, node.condition, shape(node.condition), "? :");
      const [met, unmet] = [true, false].map((holds) => narrowed(scope, node.condition, holds));
      return union([
        checking.shape(node.then, met as ShapeScope),
        checking.shape(node.otherwise, unmet as ShapeScope),
      ]);
    }
    case "or":
    case "and": {
      if (meansDefault(node)) {
        const [left, right] = [checking.source(node.left), checking.source(node.right)];
        const message = `|| joins conditions. For a value in the place of one that is absent write default(${left}, ${right}).`;
        checking.note("wrong-kind", message, node);
        return anything;
      }
      const what = node.op === "or" ? "||" : "&&";
      const isAnd = node.op === "and";
      const before = narrowedBefore(scope, node.right, isAnd);
      condition(checking, node.left, checking.shape(node.left, before), what);
      const behind = narrowed(scope, node.left, isAnd);
      condition(checking, node.right, checking.shape(node.right, behind), what);
      return ofKind("boolean");
    }
    case "not":
      condition(checking, node.operand, shape(node.operand), "!");
      return ofKind("boolean");
    case "negate": {
      wantKinds(checking, node.operand, shape(node.operand), ["number", "duration"], "-");
      return shape(node.operand);
    }
    case "binary":
      return binary(checking, node, shape(node.left), shape(node.right));
  }
}

function ofLiteral(value: Extract<Node, { op: "literal" }>["value"]): Shape {
  if (typeof value === "bigint") return ofKind("number", { choices: [Number(value)] });
  if (value instanceof Uint8Array) return ofKind("bytes");
  return ofValue(value);
}

function optionalOf(shape: Shape): Shape {
  return ofKind("optional", { items: () => withoutNull(shape) });
}

/** Reading a field: what is not there, what may be null on the way, what has no fields at all. */
function read(
  checking: Checking,
  node: Node & { op: "field" | "index"; object: Node },
  from: Shape,
  key: string,
  optional: boolean,
): Shape {
  const isOptional = from.kinds?.length === 1 && from.kinds[0] === "optional";
  const object = insideOptional(from);
  const path = checking.source(node.object);
  const strict = !optional && !isOptional && checking.lenient === 0;
  if (object.nullable && strict)
    checking.note(
      "null",
      `${path} may be null. Give a value for that case: default(${checking.source(node)}, …).`,
      node,
    );
  if (object.kinds && object.kinds.length > 0 && !object.kinds.includes("object")) {
    checking.note(
      "wrong-kind",
      `${path} is ${article(object.kinds[0] as Kind)}, so it has no "${key}".`,
      node,
    );
    return anything;
  }
  if (!object.fields) return anything;
  const found = object.fields.get(key);
  if (!found) {
    if (object.fields.open) return anything;
    const names = object.fields.names();
    // Who provides for its absence may know of a field that the schema does not, but hardly of one that is spelt almost alike.
    if (checking.lenient === 0) unknownField(checking, node, path, key, names);
    else if (misspelt(key, names) !== undefined) unknownField(checking, node, path, key, names, "misspelt");
    return anything;
  }
  if (!found.sure && strict)
    checking.note(
      "absent",
      `"${key}" may be absent in ${path}. Give a value for that case: default(${checking.source(node)}, …).`,
      node,
    );
  return isOptional && !optional ? optionalOf(found.shape) : found.shape;
}

function unknownField(
  checking: Checking,
  node: Node,
  path: string,
  key: string,
  names: string[],
  code: "unknown-field" | "misspelt" = "unknown-field",
): void {
  const near = code === "misspelt" ? misspelt(key, names) : nearest(key, names);
  const has = near
    ? `; did you mean "${near}"?`
    : names.length === 0
      ? "; it is empty."
      : `; it has ${names.slice(0, 8).join(", ")}${names.length > 8 ? ", …" : ""}.`;
  checking.note(code, `${path} has no "${key}" in its schema${has}`, {
    ...node,
    ...(node.op === "index"
      ? { start: node.index.start, end: node.index.end }
      : { start: Math.max(node.start, node.end - key.length) }),
  });
}

/** `a || "text"`: in other languages the value that stands in for an absent one. */
const meansDefault = (node: Node & { op: "or" | "and" }): boolean =>
  node.op === "or" &&
  ((node.right.op === "literal" && typeof node.right.value !== "boolean") ||
    node.right.op === "list" ||
    node.right.op === "map");

function index(checking: Checking, node: Node & { op: "index" }, scope: ShapeScope): Shape {
  const from = checking.shape(node.object, scope);
  const at = checking.shape(node.index, scope);
  const literal = node.index.op === "literal" ? node.index.value : undefined;
  if (typeof literal === "string") {
    const found = read(checking, node, from, literal, node.optional);
    return node.optional ? optionalOf(found) : found;
  }
  const object = insideOptional(from);
  if (object.nullable && !node.optional && checking.lenient === 0)
    checking.note(
      "null",
      `${checking.source(node.object)} may be null. Give a value for that case: default(${checking.source(node)}, …).`,
      node,
    );
  if (
    object.kinds &&
    object.kinds.length > 0 &&
    !object.kinds.some((kind) => kind === "list" || kind === "object")
  )
    checking.note(
      "wrong-kind",
      `${checking.source(node.object)} is ${article(object.kinds[0] as Kind)}, so it has no items.`,
      node,
    );
  if (
    node.index.op === "negate" ||
    ((typeof literal === "number" || typeof literal === "bigint") && literal < 0)
  )
    checking.note(
      "wrong-kind",
      `An index counts from 0, at the first item. For the last one write ${checking.source(node.object)}.last().orValue(…).`,
      node.index,
    );
  if (object.kinds?.length === 1 && object.kinds[0] === "list")
    wantKinds(checking, node.index, at, ["number"], "An index into a list");
  const item = object.items?.() ?? anything;
  return node.optional || object !== from ? optionalOf(item) : item;
}
