import { article } from "../expressions/evaluation.js";
import type { Node } from "../expressions/parse.js";
import type { Kind } from "../expressions/values.js";
import { printJson, sameJson, type Json } from "../values/json.js";
import { nearest } from "../values/nearest.js";
import { wantKinds, type Checking } from "./check-kinds.js";
import { anything, listOf, ofKind, union, type Shape } from "./shape.js";

const arithmetic: Record<string, readonly Kind[]> = {
  "-": ["number", "timestamp", "duration"],
  "*": ["number"],
  "/": ["number"],
  "%": ["number"],
};
const ordered: readonly Kind[] = ["number", "text", "boolean", "timestamp", "duration", "bytes"];

/** What a binary operator gives; notes operands of a wrong kind. */
export function binary(checking: Checking, node: Node & { op: "binary" }, left: Shape, right: Shape): Shape {
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
  const surely = (shape: Shape, kind: Kind): boolean => shape.kinds?.every((one) => one === kind) ?? false;
  if (surely(left, "text") || surely(right, "text")) return ofKind("text");
  if (surely(left, "number") && surely(right, "number")) return ofKind("number");
  if (surely(left, "list") && surely(right, "list"))
    return listOf(() => union([left.items?.() ?? anything, right.items?.() ?? anything]));
  const [one, other] = surely(left, "list") ? [left, right] : [right, left];
  if (surely(one, "list") && !other.kinds?.includes("list"))
    checking.note("wrong-kind", "+ joins a list with a list only.", node);
  return anything;
}

/** A comparison that can never hold: other types, or a value that is not among the choices. */
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
