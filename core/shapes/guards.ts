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
  /** Nothing is known of what the path leads through. */
  onlyLast?: boolean;
}

/** So many facts of one name count, the last ones: what people write has a few. */
const mostFacts = 40;

/**
 * A scope as it is known where a condition holds, or does not: what the condition asked for is there.
 * `has(a.b)`, `a.b != null`, `"b" in a`, `size(a.b) > 0`, `default(a.b, null) != null`, a comparison with a value, and these joined by
 * `&&`, `||` and `!`.
 */
export function narrowed(scope: ShapeScope, condition: Node, holds: boolean): ShapeScope {
  return withFacts(scope, factsIn(condition, holds));
}

/** The same, where several conditions hold or do not. */
export function narrowedByAll(
  scope: ShapeScope,
  conditions: readonly (readonly [condition: Node, holds: boolean])[],
): ShapeScope {
  return withFacts(
    scope,
    conditions.flatMap(([condition, holds]) => factsIn(condition, holds)),
  );
}

/**
 * A scope as it counts on the left of a condition that stands on the right: `a.b > 1 && has(a.b)`. The left side may be in
 * error there, if the right one decides then.
 */
export function narrowedBefore(scope: ShapeScope, condition: Node, holds: boolean): ShapeScope {
  const facts = factsIn(condition, holds).filter(({ decides }) => decides);
  return withFacts(
    scope,
    facts.map((fact) => ({ ...fact, onlyLast: true })),
  );
}

/** The shape of an item of which a condition held; `name` stands for it there. */
export function narrowedItem(item: Shape, name: string, condition: Node): Shape {
  return narrowed(new Map([[name, item]]), condition, true).get(name) ?? item;
}

/** What conditions prove, read once for each. */
const read = new WeakMap<Node, { true?: Fact[]; false?: Fact[] }>();

function factsIn(condition: Node, holds: boolean): Fact[] {
  let known = read.get(condition);
  if (!known) read.set(condition, (known = {}));
  return (known[`${holds}`] ??= proven(condition, holds).slice(-mostFacts));
}

/** Narrowed shapes, with the shape that they were and all that was proven: they are made of that once more, and not one of another. */
const made = new WeakMap<Shape, { base: Shape; facts: Fact[] }>();

function withFacts(scope: ShapeScope, facts: Fact[]): ShapeScope {
  if (facts.length === 0) return scope;
  const narrow = new Map(scope);
  for (const root of new Set(facts.map((fact) => fact.root))) {
    const shape = narrow.get(root);
    if (!shape) continue;
    const { base, facts: before } = made.get(shape) ?? { base: shape, facts: [] };
    const all = [...before, ...facts.filter((fact) => fact.root === root)].slice(-mostFacts);
    const next = known(base, treeOf(all));
    made.set(next, { base, facts: all });
    narrow.set(root, next);
  }
  return narrow;
}

/** What is proven of a value, of its fields and of its items. */
class Proven {
  notNull = false;
  sure = false;
  readonly fields = new Map<string, Proven>();
  items: Proven | undefined;

  at(key: string | number): Proven {
    if (typeof key === "number") return (this.items ??= new Proven());
    let field = this.fields.get(key);
    if (!field) this.fields.set(key, (field = new Proven()));
    return field;
  }
}

function treeOf(facts: readonly Fact[]): Proven {
  const root = new Proven();
  for (const { keys, notNull, decides, onlyLast } of facts) {
    let at = root;
    keys.forEach((key, index) => {
      if (!onlyLast) at.notNull = true;
      at = at.at(key);
      if (!onlyLast || (index === keys.length - 1 && decides === "all")) at.sure = true;
    });
    if (notNull) at.notNull = true;
  }
  return root;
}

function known(shape: Shape, proven: Proven): Shape {
  const here = proven.notNull ? withoutNull(shape) : shape;
  const { items, fields } = here;
  const { items: provenItems, fields: provenFields } = proven;
  return {
    ...here,
    ...(items && provenItems ? { items: () => known(items(), provenItems) } : {}),
    ...(fields && provenFields.size > 0
      ? {
          fields: {
            names: () => fields.names(),
            get(name) {
              const found = fields.get(name);
              const of = provenFields.get(name);
              if (!of) return found;
              const inner = known(found?.shape ?? anything, of);
              return { shape: inner, sure: of.sure || (found?.sure ?? false) };
            },
            open: fields.open,
          },
        }
      : {}),
  };
}

function proven(node: Node, holds: boolean): Fact[] {
  switch (node.op) {
    case "not":
      return factsIn(node.operand, !holds);
    case "and":
      return holds ? [...factsIn(node.left, true), ...factsIn(node.right, true)] : [];
    case "or":
      return holds ? [] : [...factsIn(node.left, false), ...factsIn(node.right, false)];
    case "choice":
      // a ? b : false
      return holds && node.otherwise.op === "literal" && node.otherwise.value === false
        ? [...factsIn(node.condition, true), ...factsIn(node.then, true)].map((fact) => ({
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
