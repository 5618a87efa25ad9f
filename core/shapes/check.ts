import { article } from "../expressions/evaluation.js";
import type { Expression } from "../expressions/compile.js";
import type { Node } from "../expressions/parse.js";
import type { Kind } from "../expressions/values.js";
import { printJson, sameJson, type Json } from "../values/json.js";
import { nearest } from "../values/nearest.js";
import { shapeOfCall } from "./check-calls.js";
import { anything, listOf, objectOf, ofKind, ofValue, union, withoutNull, type Shape } from "./shape.js";

/** What a check found in an expression: nothing that stops it, but what will probably go wrong. */
export interface Finding {
  code: "unknown-field" | "wrong-kind" | "null" | "absent" | "never" | "unused";
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
      return union([shape(node.then), shape(node.otherwise)]);
    }
    case "or":
    case "and":
      for (const side of [node.left, node.right])
        condition(checking, side, shape(side), node.op === "or" ? "||" : "&&");
      return ofKind("boolean");
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

/** The value in an optional one, as far as it is known. */
export function held(shape: Shape): Shape {
  return shape.kinds?.length === 1 && shape.kinds[0] === "optional" ? (shape.items?.() ?? anything) : shape;
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
  const object = held(from);
  const path = checking.source(node.object);
  const strict = !optional && !isOptional && checking.lenient === 0;
  if (object.nullable && strict)
    checking.note(
      "null",
      `${path} may be null. Say what to take then: default(${checking.source(node)}, …).`,
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
    if (!object.fields.open && checking.lenient === 0)
      unknownField(checking, node, path, key, object.fields.names());
    return anything;
  }
  if (!found.sure && strict)
    checking.note(
      "absent",
      `"${key}" may be absent in ${path}. Say what to take then: default(${checking.source(node)}, …).`,
      node,
    );
  return isOptional && !optional ? optionalOf(found.shape) : found.shape;
}

function unknownField(checking: Checking, node: Node, path: string, key: string, names: string[]): void {
  const near = nearest(key, names);
  const has = near
    ? `; did you mean "${near}"?`
    : names.length === 0
      ? "; it is empty."
      : `; it has ${names.slice(0, 8).join(", ")}${names.length > 8 ? ", …" : ""}.`;
  checking.note("unknown-field", `${path} has no "${key}" by its shape${has}`, {
    ...node,
    ...(node.op === "index"
      ? { start: node.index.start, end: node.index.end }
      : { start: Math.max(node.start, node.end - key.length) }),
  });
}

function index(checking: Checking, node: Node & { op: "index" }, scope: ShapeScope): Shape {
  const from = checking.shape(node.object, scope);
  const at = checking.shape(node.index, scope);
  const literal = node.index.op === "literal" ? node.index.value : undefined;
  if (typeof literal === "string") {
    const found = read(checking, node, from, literal, node.optional);
    return node.optional ? optionalOf(found) : found;
  }
  const object = held(from);
  if (object.nullable && !node.optional && checking.lenient === 0)
    checking.note(
      "null",
      `${checking.source(node.object)} may be null. Say what to take then: default(${checking.source(node)}, …).`,
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
  if (object.kinds?.length === 1 && object.kinds[0] === "list")
    wantKinds(checking, node.index, at, ["number"], "An index into a list");
  const item = object.items?.() ?? anything;
  return node.optional || object !== from ? optionalOf(item) : item;
}

/** Reports a value that cannot be of a wanted kind, or may be null where null is an error. */
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
    checking.note("null", `${source} may be null. Say what to take then: default(${source}, …).`, node);
}

function hintFor(kinds: readonly Kind[], wanted: readonly Kind[], source: string): string {
  if (kinds.includes("text") && wanted.includes("number"))
    return ` number(${source}) reads a number from a text.`;
  return kinds.includes("number") && wanted.includes("text") ? ` string(${source}) makes a text of it.` : "";
}

/** A condition: true or false, and not always the same. */
export function condition(checking: Checking, node: Node, shape: Shape, what: string): void {
  wantKinds(checking, node, shape, ["boolean"], what);
  if (node.op === "literal" && typeof node.value === "boolean" && what !== "!")
    checking.note("never", `This is always ${node.value}, so one side of ${what} is never reached.`, node);
}

const arithmetic: Record<string, readonly Kind[]> = {
  "-": ["number", "timestamp", "duration"],
  "*": ["number"],
  "/": ["number"],
  "%": ["number"],
};
const ordered: readonly Kind[] = ["number", "text", "boolean", "timestamp", "duration", "bytes"];

function binary(checking: Checking, node: Node & { op: "binary" }, left: Shape, right: Shape): Shape {
  const { sign } = node;
  const sides = [
    [node.left, left],
    [node.right, right],
  ] as const;
  switch (sign) {
    case "==":
    case "!=":
      neverEqual(checking, node, left, right);
      return ofKind("boolean");
    case "<":
    case "<=":
    case ">":
    case ">=": {
      for (const [side, shape] of sides) wantKinds(checking, side, shape, ordered, sign);
      const meet = !left.kinds || !right.kinds || left.kinds.some((kind) => right.kinds?.includes(kind));
      if (!meet && left.kinds?.[0] && right.kinds?.[0])
        checking.note(
          "wrong-kind",
          `${sign} cannot compare ${article(left.kinds[0])} with ${article(right.kinds[0])}.`,
          node,
        );
      return ofKind("boolean");
    }
    case "in":
      wantKinds(checking, node.right, right, ["list", "object"], "in");
      return ofKind("boolean");
    case "+":
      return sum(checking, node, left, right);
    default: {
      for (const [side, shape] of sides) wantKinds(checking, side, shape, arithmetic[sign] ?? [], sign);
      const times = left.kinds?.includes("timestamp") || left.kinds?.includes("duration");
      return sign === "-" && (times || !left.kinds) ? anything : ofKind("number");
    }
  }
}

function sum(checking: Checking, node: Node & { op: "binary" }, left: Shape, right: Shape): Shape {
  const joined: readonly Kind[] = ["text", "number", "boolean", "list", "bytes", "timestamp", "duration"];
  for (const [side, shape] of [
    [node.left, left],
    [node.right, right],
  ] as const)
    wantKinds(checking, side, shape, joined, "+");
  if (!left.kinds || !right.kinds) return anything;
  const both = [...left.kinds, ...right.kinds];
  if (both.includes("text")) return ofKind("text");
  if (both.every((kind) => kind === "number")) return ofKind("number");
  if (both.every((kind) => kind === "list"))
    return listOf(() => union([left.items?.() ?? anything, right.items?.() ?? anything]));
  if (both.includes("list") && both.some((kind) => kind !== "list"))
    checking.note("wrong-kind", "+ joins a list with a list only.", node);
  return anything;
}

/** A comparison that can never hold: other kinds, or a value that is not among the choices. */
function neverEqual(checking: Checking, node: Node & { op: "binary" }, left: Shape, right: Shape): void {
  const always = node.sign === "==" ? "never holds" : "always holds";
  const kindsMeet = !left.kinds || !right.kinds || left.kinds.some((kind) => right.kinds?.includes(kind));
  const nullMeets = left.nullable && right.nullable;
  const comparesNull = right.kinds?.length === 0 || left.kinds?.length === 0;
  if (comparesNull) return;
  if (!kindsMeet && !nullMeets) {
    const text = left.kinds?.includes("text")
      ? node.left
      : right.kinds?.includes("text")
        ? node.right
        : undefined;
    const numbers = [...(left.kinds ?? []), ...(right.kinds ?? [])].includes("number");
    const hint = text && numbers ? ` number(${checking.source(text)}) reads a number from a text.` : "";
    checking.note(
      "never",
      `This ${always}: ${checking.source(node.left)} is ${article(left.kinds?.[0] as Kind)}, ${checking.source(node.right)} is ${article(right.kinds?.[0] as Kind)}.${hint}`,
      node,
    );
    return;
  }
  for (const [one, other, side] of [
    [left, right, node.right],
    [right, left, node.left],
  ] as const) {
    const literal = other.choices;
    if (!one.choices || !literal || literal.length !== 1 || side.op !== "literal" || one.choices.length < 2)
      continue;
    const [value] = literal as [Json];
    if (one.choices.some((choice) => sameJson(choice, value))) continue;
    const near =
      typeof value === "string"
        ? nearest(value, one.choices.filter((choice) => typeof choice === "string") as string[])
        : undefined;
    checking.note(
      "never",
      `This ${always}: ${printJson(value)} is none of ${one.choices
        .slice(0, 12)
        .map((choice) => printJson(choice))
        .join(", ")}.${near ? ` Did you mean "${near}"?` : ""}`,
      side,
    );
  }
}
