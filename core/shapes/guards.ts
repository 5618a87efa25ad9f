import type { Node } from "../expressions/parse.js";
import { anything, withoutNull, type Shape } from "./shape.js";
import type { ShapeScope } from "./check-kinds.js";

/** A path of which something is proven: that what it leads through is there, and perhaps that it is not null itself. */
interface Fact {
  root: string;
  keys: (string | number)[];
  notNull: boolean;
  /** Where the condition decides, and is in no error, when this is not so: of all of it, or where it is null only. */
  decides: "all" | "null" | undefined;
}

/**
 * A scope as it is known where a condition holds, or does not: what the condition asked for is there.
 * `has(a.b)`, `a.b != null`, `"b" in a`, `size(a.b) > 0`, `default(a.b, null) != null`, a comparison with a value, and these joined by
 * `&&`, `||` and `!`.
 */
export function narrowed(scope: ShapeScope, condition: Node, holds: boolean): ShapeScope {
  return withFacts(scope, proven(condition, holds), false);
}

/**
 * A scope as it counts on the left of a condition that stands on the right: `a.b > 1 && has(a.b)`. The left side may be in
 * error there, if the right one decides then.
 */
export function narrowedBefore(scope: ShapeScope, condition: Node, holds: boolean): ShapeScope {
  return withFacts(
    scope,
    proven(condition, holds).filter(({ decides }) => decides),
    true,
  );
}

function withFacts(scope: ShapeScope, facts: Fact[], onlyLast: boolean): ShapeScope {
  if (facts.length === 0) return scope;
  const narrow = new Map(scope);
  for (const fact of facts) {
    const shape = narrow.get(fact.root);
    if (shape) narrow.set(fact.root, known(shape, fact.keys, fact, onlyLast));
  }
  return narrow;
}

/** The shape of an item of which a condition held; `name` stands for it there. */
export function narrowedItem(item: Shape, name: string, condition: Node): Shape {
  return narrowed(new Map([[name, item]]), condition, true).get(name) ?? item;
}

/** The shape of what a fact is about; with `onlyLast` nothing is known of what its path leads through. */
function known(shape: Shape, [key, ...rest]: (string | number)[], fact: Fact, onlyLast: boolean): Shape {
  if (key === undefined) return fact.notNull ? withoutNull(shape) : shape;
  const here = onlyLast ? shape : withoutNull(shape);
  const { items, fields } = here;
  if (typeof key === "number")
    return items ? { ...here, items: () => known(items(), rest, fact, onlyLast) } : here;
  if (!fields) return here;
  return {
    ...here,
    fields: {
      names: () => fields.names(),
      get(name) {
        const found = fields.get(name);
        if (name !== key) return found;
        const inner = known(found?.shape ?? anything, rest, fact, onlyLast);
        return {
          shape: inner,
          sure: found?.sure || !onlyLast || (rest.length === 0 && fact.decides === "all"),
        };
      },
      open: fields.open,
    },
  };
}

function proven(node: Node, holds: boolean): Fact[] {
  switch (node.op) {
    case "not":
      return proven(node.operand, !holds);
    case "and":
      return holds ? [...proven(node.left, true), ...proven(node.right, true)] : [];
    case "or":
      return holds ? [] : [...proven(node.left, false), ...proven(node.right, false)];
    case "choice":
      // a ? b : false
      return holds && node.otherwise.op === "literal" && node.otherwise.value === false
        ? [...proven(node.condition, true), ...proven(node.then, true)].map((fact) => ({
            ...fact,
            decides: undefined,
          }))
        : [];
    case "binary":
      return node.sign === "in" ? (holds ? among(node) : []) : compared(node, holds);
    case "call":
      if (node.receiver || node.name !== "has" || !holds) return [];
      return factsOf(node.args[0], { notNull: false, decides: "all" });
    default:
      // A path that is true by itself is there.
      return holds ? factsOf(node, needed) : [];
  }
}

/** What an operator is in error without. */
const needed = { notNull: true, decides: undefined } as const;

function among({ left, right }: Node & { op: "binary" }): Fact[] {
  const key = left.op === "literal" && typeof left.value === "string" ? left.value : undefined;
  const inside = factsOf(right, { notNull: false, decides: "all" }).map((fact) => ({
    ...fact,
    keys: [...fact.keys, key ?? ""],
  }));
  return [...factsOf(left, needed), ...factsOf(right, needed), ...(key === undefined ? [] : inside)];
}

const mirrored: Record<string, string> = { "<": ">", "<=": ">=", ">": "<", ">=": "<=" };

function compared({ sign, left, right }: Node & { op: "binary" }, holds: boolean): Fact[] {
  return [...oneSide(left, sign, right, holds), ...oneSide(right, mirrored[sign] ?? sign, left, holds)];
}

/** What a comparison says of one of its sides. */
function oneSide(node: Node, sign: string, other: Node, holds: boolean): Fact[] {
  const literal = literalOf(other);
  const [value, otherwise] = defaulted(node);
  const isEqual = (sign === "==" && holds) || (sign === "!=" && !holds);
  const differs = (sign === "!=" && holds) || (sign === "==" && !holds);
  if (otherwise !== undefined) {
    // What is not the value for its absence was there.
    if (literal === undefined || !(isEqual || differs)) return [];
    return (literal === otherwise) === differs ? factsOf(value, { notNull: true, decides: "all" }) : [];
  }
  if (node.op === "call" && node.name === "size") {
    const of = node.receiver ?? (node.args[0] as Node);
    const [list, empty] = defaulted(of);
    const some = literal === 0 ? differs || (sign === ">" && holds) : literal === 1 && sign === ">=" && holds;
    if (empty === undefined) return isEqual || differs ? [] : factsOf(of, needed);
    return some && empty === "" ? factsOf(list, { notNull: true, decides: "all" }) : [];
  }
  if (literal === null) return differs ? factsOf(node, { notNull: true, decides: "null" }) : [];
  if (isEqual) return literal === undefined ? [] : factsOf(node, needed);
  // An order, whether it holds or not, needs both sides.
  return differs ? [] : factsOf(node, needed);
}

function literalOf(node: Node): unknown {
  if (node.op !== "literal") return undefined;
  return typeof node.value === "bigint" ? Number(node.value) : node.value;
}

/** `default(path, value)` as both, an empty list as an empty text; any other node as itself. */
function defaulted(node: Node): [Node, unknown] {
  if (node.op !== "call" || node.receiver || !/^default(IfBlank)?$/.test(node.name)) return [node, undefined];
  const [value, otherwise] = node.args;
  if (value && otherwise?.op === "literal") return [value, literalOf(otherwise)];
  return value && otherwise?.op === "list" && otherwise.items.length === 0 ? [value, ""] : [node, undefined];
}

function factsOf(node: Node | undefined, fact: Pick<Fact, "notNull" | "decides">): Fact[] {
  const keys: (string | number)[] = [];
  let at = node;
  for (;;) {
    if (at?.op === "name") return [{ root: at.name, keys: keys.reverse(), ...fact }];
    if (at?.op === "field") keys.push(at.key);
    else if (at?.op === "index" && at.index.op === "literal") {
      const { value } = at.index;
      if (typeof value !== "string" && typeof value !== "number") return [];
      keys.push(value);
    } else return [];
    at = at.object;
  }
}
