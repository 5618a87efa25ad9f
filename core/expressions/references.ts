import { namespaces } from "./library/table.js";
import { itemLoops } from "./macros.js";
import type { Node } from "./parse.js";

/**
 * One path that an expression reads, from a name in scope: `["steps", "guest", "body", "items", "*"]`, where `*`
 * stands for any item. `start` and `end` are the place in the expression.
 */
export interface Reference {
  path: string[];
  start: number;
  end: number;
  /** What reads it. */
  node: Node;
}

interface Bound {
  [name: string]: string[] | undefined;
}

/** The paths that an expression reads, also through loop variables; each once. */
export function references(tree: Node): Reference[] {
  const found = new Map<string, Reference>();
  const note = (path: string[] | undefined, node: Node) => {
    if (path)
      found.set(`${path.join("\u0000")}@${node.start}`, { path, start: node.start, end: node.end, node });
  };
  walk(tree, {}, note);
  return [...found.values()];
}

/** The path of a node, where it is one; and notes what it reads otherwise. */
function walk(node: Node, bound: Bound, note: (path: string[] | undefined, node: Node) => void): void {
  const path = pathOf(node, bound, note);
  if (path) {
    note(path, node);
    return;
  }
  const go = (inner: Node, more: Bound = bound) => walk(inner, more, note);
  switch (node.op) {
    case "literal":
    case "name":
      return;
    case "field":
      return go(node.object);
    case "index":
      go(node.object);
      return go(node.index);
    case "list":
      return node.items.forEach((item) => go(item.value));
    case "map":
      return node.entries.forEach(({ key, value }) => (go(key), go(value)));
    case "choice":
      go(node.condition);
      go(node.then);
      return go(node.otherwise);
    case "or":
    case "and":
    case "binary":
      go(node.left);
      return go(node.right);
    case "not":
    case "negate":
      return go(node.operand);
    case "call": {
      const [first, ...rest] = node.args;
      if (node.receiver && itemLoops.has(node.name) && first?.op === "name") {
        go(node.receiver);
        const list = pathOf(node.receiver, bound, () => undefined);
        const inner = {
          ...bound,
          [first.name]: list && !node.name.startsWith("opt") ? [...list, "*"] : (list ?? []),
        };
        return rest.forEach((arg) => go(arg, inner));
      }
      if (
        node.receiver?.op === "name" &&
        node.receiver.name === "cel" &&
        node.name === "bind" &&
        first?.op === "name"
      ) {
        const [value, body] = rest as [Node, Node];
        go(value);
        return go(body, { ...bound, [first.name]: pathOf(value, bound, () => undefined) ?? [] });
      }
      if (node.receiver && !isNamespace(node.receiver, bound)) go(node.receiver);
      return node.args.forEach((arg) => go(arg));
    }
  }
}

function isNamespace(node: Node, bound: Bound): boolean {
  return node.op === "name" && namespaces.has(node.name) && bound[node.name] === undefined;
}

function pathOf(
  node: Node,
  bound: Bound,
  note: (path: string[] | undefined, node: Node) => void,
): string[] | undefined {
  if (node.op === "name") {
    if (node.root || !Object.prototype.hasOwnProperty.call(bound, node.name)) return [node.name];
    const path = bound[node.name];
    return path && path.length > 0 ? path : undefined;
  }
  if (node.op === "field") {
    const object = pathOf(node.object, bound, note);
    return object && [...object, node.key];
  }
  if (node.op === "index") {
    const object = pathOf(node.object, bound, note);
    if (!object) return undefined;
    if (node.index.op === "literal")
      return [...object, typeof node.index.value === "string" ? node.index.value : "*"];
    walk(node.index, bound, note);
    return [...object, "*"];
  }
  return undefined;
}
