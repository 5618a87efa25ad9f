import type { Compiler } from "./compile.js";
import { fail, type Locals, type Run } from "./evaluation.js";
import type { Node } from "./parse.js";

export type CallNode = Node & { op: "call" };

/** A form that looks like a call but binds names, or may leave an argument unevaluated. */
export type Macro = (compiler: Compiler, node: CallNode, locals: Locals) => Run;

/** Whether a node is a call in a namespace, such as `cel.bind(…)`. */
export function isCallOf(node: Node, space: string, name: string): node is CallNode {
  return (
    node.op === "call" && node.name === name && node.receiver?.op === "name" && node.receiver.name === space
  );
}

/** The name of a variable that a macro binds; `cel.iterVar(0, 1)` is the name that an optimizer gives one. */
export function variableName(node: Node): string {
  if (node.op === "name") return node.name;
  if (isCallOf(node, "cel", "iterVar") || isCallOf(node, "cel", "accuVar")) return numberedName(node);
  return fail("wrong-arguments", "The name of a variable belongs here.", node);
}

export function numberedName({ name, args }: CallNode): string {
  return `${name}(${args.map((arg) => (arg.op === "literal" ? String(arg.value) : "?")).join(",")})`;
}
