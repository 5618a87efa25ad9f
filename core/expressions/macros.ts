import { own, type JsonObject } from "../values/json.js";
import type { Compiler } from "./compile.js";
import { ExpressionError } from "./errors.js";
import { fail, type Locals, type Run } from "./evaluation.js";
import { keyed } from "./keyed.js";
import { loops } from "./loops.js";
import { numberedName, variableName, type CallNode, type Macro } from "./macro.js";
import type { Node } from "./parse.js";
import { isMap, Optional, type Value } from "./values.js";

/** Forms that look like calls but bind names, or may leave an argument unevaluated. Undefined for a plain call. */
export function compileMacro(compiler: Compiler, node: CallNode, locals: Locals): Run | undefined {
  const { receiver, name, args } = node;
  const form = `${name}/${args.length}`;
  if (!receiver) return plain.get(form)?.(compiler, node, locals);
  if (receiver.op === "name" && receiver.name === "cel" && !locals.has("cel"))
    return inCel.get(form)?.(compiler, node, locals);
  return methods.get(form)?.(compiler, node, locals);
}

const has: Macro = (compiler, node, locals) => {
  const [argument] = node.args as [Node];
  if (argument.op !== "field")
    fail("wrong-arguments", "has wants a field, as in has(guest.email).", argument);
  const object = compiler.compile(argument.object, locals);
  return (evaluation) => {
    const value = object(evaluation);
    const inner = value instanceof Optional ? value.value : value;
    if (inner === undefined || inner === null) return false;
    return typeof inner === "object" && isMap(inner) && own(inner as JsonObject, argument.key) !== undefined;
  };
};

const absent = new Set(["no-such-key", "no-such-index", "null-value"]);

const otherwise: Macro = (compiler, node, locals) => {
  const [first, second] = node.args as [Node, Node];
  const value = compiler.compile(first, locals);
  const instead = compiler.compile(second, locals);
  const blankToo = node.name === "defaultIfBlank";
  return (evaluation) => {
    let found: Value;
    try {
      found = value(evaluation);
    } catch (error) {
      if (error instanceof ExpressionError && absent.has(error.code)) return instead(evaluation);
      throw error;
    }
    const inner = found instanceof Optional ? found.value : found;
    if (inner === undefined || inner === null) return instead(evaluation);
    return blankToo && typeof inner === "string" && inner.trim() === "" ? instead(evaluation) : inner;
  };
};

const bind: Macro = (compiler, node, locals) => {
  const [name, value, body] = node.args as [Node, Node, Node];
  const slot = compiler.newSlot();
  const bound = compiler.compile(value, locals);
  const inner = compiler.compile(body, new Map([...locals, [variableName(name), slot]]));
  return (evaluation) => {
    evaluation.slots[slot] = bound(evaluation);
    return inner(evaluation);
  };
};

/** `cel.block([a, b], body)`: the items by `cel.index(n)`, each worked out when it is first wanted. */
const block: Macro = (compiler, node, locals) => {
  const [list, body] = node.args as [Node, Node];
  if (list.op !== "list") return fail("wrong-arguments", "cel.block wants a list first.", list);
  const inner = new Map(locals);
  const slots = list.items.map(({ value }, index) => {
    const run = compiler.compile(value, new Map(inner));
    const slot = compiler.newSlot(run);
    inner.set(`index(${index})`, slot);
    return slot;
  });
  const result = compiler.compile(body, inner);
  return (evaluation) => {
    for (const slot of slots) delete evaluation.slots[slot];
    return result(evaluation);
  };
};

/** A variable that has a number for a name. */
const numbered: Macro = (compiler, node, locals) => {
  const slot = locals.get(numberedName(node));
  if (slot === undefined) return fail("unknown-name", `There is no ${compiler.source(node)} here.`, node);
  return compiler.slot(slot);
};

const plain = new Map<string, Macro>([
  ["has/1", has],
  ["default/2", otherwise],
  ["defaultIfBlank/2", otherwise],
]);
const inCel = new Map<string, Macro>([
  ["bind/3", bind],
  ["block/2", block],
  ["index/1", numbered],
  ["iterVar/2", numbered],
  ["accuVar/2", numbered],
]);
const methods = new Map<string, Macro>([...loops, ...keyed]);

/** Macros of one variable over the items of their receiver, for what follows paths through them. */
export const itemLoops: ReadonlySet<string> = new Set(
  [...methods.keys()].filter((form) => form.endsWith("/2")).map((form) => form.split("/")[0] as string),
);

const tests = new Set(["all", "exists", "exists_one", "existsOne", "filter"]);

/** How many variables a call binds that walks its receiver; 0 where it does not. */
export function loopVariables({ name, args }: CallNode): number {
  if (!methods.has(`${name}/${args.length}`)) return 0;
  return name.startsWith("transform") || (tests.has(name) && args.length === 3) ? 2 : 1;
}

/** How a macro of some name is written, where there is one: with its variables and what it computes of them. */
export function macroForms(name: string, method: boolean): string[] {
  const given = (count: number): string => {
    if (!method) return name === "has" ? "object.field" : "value, otherwise";
    if (name.startsWith("transformMap"))
      return count === 3 ? "key, value, value.name" : "key, value, value.open, value.name";
    if (name === "transformList")
      return count === 3 ? "index, item, item.name" : "index, item, item.open, item.name";
    if (tests.has(name)) return count === 2 ? "item, item.open" : "index, item, item.open";
    return count === 2 ? "item, item.name" : "item, item.open, item.name";
  };
  return [...(method ? methods : plain).keys()].flatMap((form) => {
    const [known, count] = form.split("/") as [string, string];
    return known === name ? [`${method ? "list." : ""}${name}(${given(Number(count))})`] : [];
  });
}

/** The names of all macros, for completion and for "did you mean". */
export const macroNames: readonly string[] = [
  ...new Set([
    ...[...plain.keys(), ...methods.keys()].map((form) => form.split("/")[0] as string),
    "cel.bind",
  ]),
];
