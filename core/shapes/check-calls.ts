import { findFunction, namespaces } from "../expressions/library/table.js";
import type { CallNode } from "../expressions/macro.js";
import type { Node } from "../expressions/parse.js";
import { condition, insideOptional, wantKinds, type Checking, type ShapeScope } from "./check-kinds.js";
import { narrowed, narrowedItem } from "./guards.js";
import { anything, listOf, objectOf, ofKind, union, withoutNull, type Shape } from "./shape.js";

/** The shape of a call: of a macro by what it makes, of a function by its entry in the table. */
export function shapeOfCall(checking: Checking, node: CallNode, scope: ShapeScope): Shape {
  const { receiver, name, args } = node;
  if (!receiver) {
    if (name === "has")
      return provided(checking, () => (checking.shape(args[0] as Node, scope), ofKind("boolean")));
    if ((name === "default" || name === "defaultIfBlank") && args.length === 2) {
      const first = withoutNull(
        insideOptional(provided(checking, () => checking.shape(args[0] as Node, scope))),
      );
      const otherwise = args[1] as Node;
      const second = checking.shape(otherwise, scope);
      // An empty list has no items, and an empty object no fields, of which something could be said.
      const isEmpty =
        (otherwise.op === "list" && otherwise.items.length === 0 && first.items) ||
        (otherwise.op === "map" && otherwise.entries.length === 0 && first.fields && checking.lenient > 0);
      return isEmpty ? first : union([first, second]);
    }
    return called(checking, node, name, args, scope);
  }
  if (receiver.op === "name" && receiver.name === "cel" && name === "bind" && args.length === 3) {
    const [variable, value, body] = args as [Node, Node, Node];
    const bound = checking.shape(value, scope);
    const names = new Map([...scope, [nameOf(variable), bound]]);
    if (variable.op === "name" && !reads(body, variable.name))
      checking.note("unused", `"${variable.name}" is never used.`, variable);
    return checking.shape(body, names);
  }
  const loop = loops[`${name}/${args.length}`];
  if (loop) return loop(checking, node, scope);
  if (receiver.op === "name" && !scope.has(receiver.name) && namespaces.has(receiver.name))
    return called(checking, node, `${receiver.name}.${name}`, args, scope);
  return called(checking, node, name, [receiver, ...args], scope, true);
}

/** Runs where what is absent or null is provided for. */
function provided<T>(checking: Checking, run: () => T): T {
  checking.lenient++;
  try {
    return run();
  } finally {
    checking.lenient--;
  }
}

/** Functions that take null without an error, so that a null is not a finding. */
const takesAnything = new Set(["type", "json.print", "optional.of", "optional.ofNonZeroValue", "dyn", "put"]);

function called(
  checking: Checking,
  _node: CallNode,
  name: string,
  args: Node[],
  scope: ShapeScope,
  method = false,
): Shape {
  const shapes = args.map((arg) => checking.shape(arg, scope));
  const entry = findFunction(name, method);
  if (!entry) return anything;
  args.forEach((arg, index) => {
    const parameter = entry.parameters[Math.min(index, entry.parameters.length - 1)];
    if (!parameter || parameter.kinds === "any" || takesAnything.has(name)) return;
    wantKinds(checking, arg, shapes[index] as Shape, parameter.kinds, name);
  });
  const [first = anything, second = anything] = shapes;
  // With a second argument it takes anything, and may give that one.
  if (name === "number" && args.length === 1)
    wantKinds(checking, args[0] as Node, first, ["text", "number", "timestamp"], name);
  const items = () => first.items?.() ?? anything;
  switch (name) {
    case "first":
    case "last":
      return ofKind("optional", { items });
    case "value":
    case "orValue":
      return name === "value" ? insideOptional(first) : union([withoutNull(insideOptional(first)), second]);
    case "optional.of":
      return ofKind("optional", { items: () => first });
    case "reverse":
      return first;
    case "distinct":
    case "sort":
    case "slice":
    case "without":
      return listOf(items);
    case "chunk":
      return listOf(() => listOf(items));
    case "flatten":
      return listOf(() => items().items?.() ?? anything);
    case "split":
    case "words":
    case "keys":
    case "regex.extractAll":
      return listOf(() => ofKind("text"));
    case "lists.range":
      return listOf(() => ofKind("number"));
    case "regex.extract":
      return ofKind("optional", { items: () => ofKind("text") });
    case "least":
    case "greatest":
      return { ...items(), nullable: true };
    case "average":
      return { kinds: ["number"], nullable: true };
    case "numberIn":
      return { kinds: ["number"], nullable: true };
    case "number":
      return args.length === 2 ? union([ofKind("number"), second]) : ofKind("number");
    case "dyn":
      return first;
    default:
      return entry.result === "list" ? listOf(() => anything) : ofKind(entry.result);
  }
}

type Loop = (checking: Checking, node: CallNode, scope: ShapeScope) => Shape;

function nameOf(node: Node): string {
  return node.op === "name" ? node.name : "";
}

/** The shape of what a loop walks, and the scope inside it. */
function entered(
  checking: Checking,
  node: CallNode,
  scope: ShapeScope,
  variables: number,
): { list: Shape; item: Shape; inner: ShapeScope } {
  const list = checking.shape(node.receiver as Node, scope);
  wantKinds(checking, node.receiver as Node, list, ["list", "object"], node.name);
  const isList = list.kinds?.length === 1 && list.kinds[0] === "list";
  const item = list.items?.() ?? anything;
  const [first, second] = node.args.slice(0, variables).map(nameOf);
  const bound: [string, Shape][] =
    second === undefined
      ? [[first ?? "", isList ? item : list.kinds?.includes("object") ? ofKind("text") : anything]]
      : [
          [first ?? "", isList ? ofKind("number") : anything],
          [second, isList ? item : anything],
        ];
  return { list, item, inner: new Map([...scope, ...bound]) };
}

function tested(variables: number, result: (list: Shape) => Shape): Loop {
  return (checking, node, scope) => {
    const { list, inner } = entered(checking, node, scope, variables);
    const test = node.args[variables] as Node;
    condition(checking, test, checking.shape(test, inner), node.name);
    return result(list);
  };
}

function made(variables: number, result: (body: Shape, list: Shape) => Shape): Loop {
  return (checking, node, scope) => {
    const { list, inner } = entered(checking, node, scope, variables);
    const test = node.args.length === variables + 2 ? (node.args[variables] as Node) : undefined;
    if (test) condition(checking, test, checking.shape(test, inner), node.name);
    const met = test ? narrowed(inner, test, true) : inner;
    return result(checking.shape(node.args.at(-1) as Node, met), list);
  };
}

const itemsOf = (list: Shape) => () => list.items?.() ?? anything;
const truth = () => ofKind("boolean");
const sameList = (list: Shape) => listOf(itemsOf(list));

const loops: Record<string, Loop> = {
  "all/2": tested(1, truth),
  "all/3": tested(2, truth),
  "exists/2": tested(1, truth),
  "exists/3": tested(2, truth),
  "exists_one/2": tested(1, truth),
  "existsOne/2": tested(1, truth),
  "existsOne/3": tested(2, truth),
  "filter/2": (checking, node, scope) => {
    const list = tested(1, sameList)(checking, node, scope);
    const [variable, test] = node.args as [Node, Node];
    return listOf(() => narrowedItem(itemsOf(list)(), nameOf(variable), test));
  },
  "map/2": made(1, (body) => listOf(() => body)),
  "map/3": made(1, (body) => listOf(() => body)),
  "transformList/3": made(2, (body) => listOf(() => body)),
  "transformList/4": made(2, (body) => listOf(() => body)),
  "transformMap/3": made(2, () => ofKind("object")),
  "transformMap/4": made(2, () => ofKind("object")),
  "sortBy/2": made(1, (_body, list) => sameList(list)),
  "groupBy/2": made(1, (body, list) => listOf(() => objectOf({ key: body, items: sameList(list) }))),
  "countBy/2": made(1, (body) => listOf(() => objectOf({ key: body, count: ofKind("number") }))),
  "indexBy/2": made(1, () => ofKind("object")),
  "minBy/2": made(1, (_body, list) => ({ ...itemsOf(list)(), nullable: true })),
  "maxBy/2": made(1, (_body, list) => ({ ...itemsOf(list)(), nullable: true })),
  "sumBy/2": (checking, node, scope) => {
    const { inner } = entered(checking, node, scope, 1);
    const body = node.args[1] as Node;
    wantKinds(checking, body, checking.shape(body, inner), ["number"], "sumBy");
    return ofKind("number");
  },
  "optMap/2": optional((body) => ofKind("optional", { items: () => body })),
  "optFlatMap/2": optional((body) => body),
};

function optional(result: (body: Shape) => Shape): Loop {
  return (checking, node, scope) => {
    const receiver = checking.shape(node.receiver as Node, scope);
    wantKinds(checking, node.receiver as Node, receiver, ["optional"], node.name);
    const inner = new Map([
      ...scope,
      [nameOf(node.args[0] as Node), insideOptional(receiver)] as [string, Shape],
    ]);
    return result(checking.shape(node.args[1] as Node, inner));
  };
}

/** Whether a name is read in a tree. */
function reads(node: Node, name: string): boolean {
  switch (node.op) {
    case "name":
      return node.name === name;
    case "literal":
      return false;
    case "field":
      return reads(node.object, name);
    case "index":
      return reads(node.object, name) || reads(node.index, name);
    case "call":
      return (
        (node.receiver !== undefined && reads(node.receiver, name)) ||
        node.args.some((arg) => reads(arg, name))
      );
    case "list":
      return node.items.some(({ value }) => reads(value, name));
    case "map":
      return node.entries.some(({ key, value }) => reads(key, name) || reads(value, name));
    case "choice":
      return reads(node.condition, name) || reads(node.then, name) || reads(node.otherwise, name);
    case "or":
    case "and":
    case "binary":
      return reads(node.left, name) || reads(node.right, name);
    case "not":
    case "negate":
      return reads(node.operand, name);
  }
}
