import { own, type JsonObject } from "../values/json.js";
import type { Compiler } from "./compile.js";
import { ExpressionError } from "./errors.js";
import { article, fail, type Evaluation, type Locals, type Run } from "./evaluation.js";
import type { Node } from "./parse.js";
import { isMap, kindOfValue, Optional, type Value } from "./values.js";

type CallNode = Node & { op: "call" };
type Macro = (compiler: Compiler, node: CallNode, locals: Locals) => Run;

/** Forms that look like calls but bind names, or may leave an argument unevaluated. Undefined for a plain call. */
export function compileMacro(compiler: Compiler, node: CallNode, locals: Locals): Run | undefined {
  const { receiver, name, args } = node;
  if (!receiver) {
    if (name === "has" && args.length === 1) return has(compiler, node, locals);
    if (name === "default" && args.length === 2) return otherwise(compiler, node, locals);
    if (name === "defaultIfBlank" && args.length === 2) return otherwise(compiler, node, locals);
    return undefined;
  }
  if (receiver.op === "name" && receiver.name === "cel" && name === "bind" && args.length === 3)
    return bind(compiler, node, locals);
  const form = loops.get(`${name}/${args.length}`);
  return form?.(compiler, node, locals);
}

/** The names of all macros, for completion and for "did you mean". */
export const macroNames = [
  "has",
  "default",
  "defaultIfBlank",
  "all",
  "exists",
  "exists_one",
  "existsOne",
  "map",
  "filter",
  "cel.bind",
  "optMap",
  "optFlatMap",
];

const loops = new Map<string, Macro>([
  ["all/2", quantifier("all", false)],
  ["exists/2", quantifier("exists", true)],
  ["exists_one/2", countOne],
  ["existsOne/2", countOne],
  ["map/2", mapItems],
  ["map/3", mapItems],
  ["filter/2", filterItems],
  ["optMap/2", optional(false)],
  ["optFlatMap/2", optional(true)],
]);

function has(compiler: Compiler, node: CallNode, locals: Locals): Run {
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
}

const absent = new Set(["no-such-key", "no-such-index", "null-value"]);

function otherwise(compiler: Compiler, node: CallNode, locals: Locals): Run {
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
}

function variable(node: Node): string {
  if (node.op === "name") return node.name;
  return fail("wrong-arguments", "Here stands the name of a variable.", node);
}

function bind(compiler: Compiler, node: CallNode, locals: Locals): Run {
  const [name, value, body] = node.args as [Node, Node, Node];
  const slot = compiler.newSlot();
  const bound = compiler.compile(value, locals);
  const inner = compiler.compile(body, new Map([...locals, [variable(name), slot]]));
  return (evaluation) => {
    evaluation.slots[slot] = bound(evaluation);
    return inner(evaluation);
  };
}

/** The items that a loop walks: those of a list, or the keys of an object. */
function walked(
  compiler: Compiler,
  node: Node,
  locals: Locals,
  name: string,
): (evaluation: Evaluation) => Value[] {
  const run = compiler.compile(node, locals);
  return (evaluation) => {
    const value = run(evaluation);
    if (Array.isArray(value)) return value as Value[];
    if (value !== null && typeof value === "object" && isMap(value)) return Object.keys(value);
    const source = compiler.source(node);
    const hint = value === null ? ` default(${source}, []) takes an empty list for null.` : "";
    return fail(
      value === null ? "null-value" : "wrong-kind",
      `${name} walks a list or an object; ${source} is ${article(kindOfValue(value))}.${hint}`,
      node,
    );
  };
}

function inLoop(compiler: Compiler, node: CallNode, locals: Locals) {
  const slot = compiler.newSlot();
  const inner = new Map([...locals, [variable(node.args[0] as Node), slot]]);
  return { slot, inner, items: walked(compiler, node.receiver as Node, locals, node.name) };
}

/** all and exists: an error in one item does not matter when another decides, as in CEL. */
function quantifier(name: string, decisive: boolean): Macro {
  return (compiler, node, locals) => {
    const { slot, inner, items } = inLoop(compiler, node, locals);
    const test = compiler.condition(node.args[1] as Node, inner, `What ${name} tests`);
    return (evaluation) => {
      let held: ExpressionError | undefined;
      for (const item of items(evaluation)) {
        evaluation.slots[slot] = item;
        try {
          if (test(evaluation) === decisive) return decisive;
        } catch (error) {
          if (!(error instanceof ExpressionError) || error.code === "budget") throw error;
          held ??= error;
        }
      }
      if (held) throw held;
      return !decisive;
    };
  };
}

function countOne(compiler: Compiler, node: CallNode, locals: Locals): Run {
  const { slot, inner, items } = inLoop(compiler, node, locals);
  const test = compiler.condition(node.args[1] as Node, inner, `What ${node.name} tests`);
  return (evaluation) => {
    let count = 0;
    for (const item of items(evaluation)) {
      evaluation.slots[slot] = item;
      if (test(evaluation)) count++;
    }
    return count === 1;
  };
}

function mapItems(compiler: Compiler, node: CallNode, locals: Locals): Run {
  const { slot, inner, items } = inLoop(compiler, node, locals);
  const test =
    node.args.length === 3 ? compiler.condition(node.args[1] as Node, inner, "What map tests") : undefined;
  const body = compiler.compile(node.args[node.args.length - 1] as Node, inner);
  return (evaluation) => {
    const result: Value[] = [];
    for (const item of items(evaluation)) {
      evaluation.slots[slot] = item;
      if (test && !test(evaluation)) continue;
      evaluation.budget.make(1);
      result.push(body(evaluation));
    }
    return result;
  };
}

function filterItems(compiler: Compiler, node: CallNode, locals: Locals): Run {
  const { slot, inner, items } = inLoop(compiler, node, locals);
  const test = compiler.condition(node.args[1] as Node, inner, "What filter tests");
  return (evaluation) => {
    const result: Value[] = [];
    for (const item of items(evaluation)) {
      evaluation.slots[slot] = item;
      if (test(evaluation)) {
        evaluation.budget.make(1);
        result.push(item);
      }
    }
    return result;
  };
}

function optional(flat: boolean): Macro {
  return (compiler, node, locals) => {
    const slot = compiler.newSlot();
    const receiver = compiler.compile(node.receiver as Node, locals);
    const body = compiler.compile(
      node.args[1] as Node,
      new Map([...locals, [variable(node.args[0] as Node), slot]]),
    );
    return (evaluation) => {
      const value = receiver(evaluation);
      if (!(value instanceof Optional)) {
        return fail(
          "wrong-kind",
          `${node.name} works on an optional value, as a.?b gives; this is ${article(kindOfValue(value))}.`,
          node,
        );
      }
      if (value.value === undefined) return Optional.none;
      evaluation.slots[slot] = value.value;
      const result = body(evaluation);
      return flat ? result : new Optional(result);
    };
  };
}
