import { own, setOwn, type Json, type JsonObject } from "../values/json.js";
import type { Compiler } from "./compile.js";
import { ExpressionError } from "./errors.js";
import { article, fail, type Evaluation, type Locals } from "./evaluation.js";
import { variableName, type CallNode, type Macro } from "./macro.js";
import { keyCost } from "./library/collections.js";
import type { Node } from "./parse.js";
import { isMap, kindOfValue, Optional, type Value, type ValueMap } from "./values.js";

/** One or two loop variables, and the walk that sets them. */
interface Loop {
  inner: Locals;
  /** Walks a list or an object; stops when `visit` gives true. The item is what a filter keeps. */
  walk(evaluation: Evaluation, visit: (item: Value, key: Value) => boolean | void): void;
}

/** One variable is the item of a list or the key of an object; two are index and item, or key and value. */
function loopOf(compiler: Compiler, node: CallNode, locals: Locals, variables: number): Loop {
  const slots = Array.from({ length: variables }, () => compiler.newSlot());
  const names = node.args.slice(0, variables).map(variableName);
  const inner = new Map([
    ...locals,
    ...names.map((name, at): [string, number] => [name, slots[at] as number]),
  ]);
  const source = node.receiver as Node;
  const run = compiler.compile(source, locals);
  const [first = 0, second] = slots;
  const set = (evaluation: Evaluation, key: Value, item: Value): void => {
    evaluation.slots[first] = second === undefined ? item : key;
    if (second !== undefined) evaluation.slots[second] = item;
  };
  return {
    inner,
    walk(evaluation, visit) {
      const value = run(evaluation);
      if (Array.isArray(value)) {
        for (let at = 0; at < value.length; at++) {
          const item = value[at] as Value;
          set(evaluation, at, item);
          if (visit(item, at)) return;
        }
      } else if (value !== null && typeof value === "object" && isMap(value)) {
        for (const key of Object.keys(value)) {
          const item = second === undefined ? key : (own(value as JsonObject, key) as Value);
          set(evaluation, key, item);
          if (visit(item, key)) return;
        }
      } else notWalked(compiler, source, value, node.name);
    },
  };
}

function notWalked(compiler: Compiler, node: Node, value: Value, name: string): never {
  const source = compiler.source(node);
  const hint = value === null ? ` default(${source}, []) takes an empty list for null.` : "";
  return fail(
    value === null ? "null-value" : "wrong-kind",
    `${name} walks a list or an object; ${source} is ${article(kindOfValue(value))}.${hint}`,
    node,
  );
}

/** all and exists: an error in one item does not matter when another decides, as in CEL. */
function quantifier(variables: number, decisive: boolean): Macro {
  return (compiler, node, locals) => {
    const { inner, walk } = loopOf(compiler, node, locals, variables);
    const test = compiler.condition(node.args[variables] as Node, inner, `What ${node.name} tests`);
    return (evaluation) => {
      let held: ExpressionError | undefined;
      let decided = false;
      walk(evaluation, () => {
        try {
          decided = test(evaluation) === decisive;
          return decided;
        } catch (error) {
          if (!(error instanceof ExpressionError) || error.code === "budget") throw error;
          held ??= error;
          return false;
        }
      });
      if (decided) return decisive;
      if (held) throw held;
      return !decisive;
    };
  };
}

function countOne(variables: number): Macro {
  return (compiler, node, locals) => {
    const { inner, walk } = loopOf(compiler, node, locals, variables);
    const test = compiler.condition(node.args[variables] as Node, inner, `What ${node.name} tests`);
    return (evaluation) => {
      let count = 0;
      walk(evaluation, () => {
        if (test(evaluation)) count++;
      });
      return count === 1;
    };
  };
}

/** map and transformList: with one more argument, a test of what is taken. */
function mapped(variables: number): Macro {
  return (compiler, node, locals) => {
    const { inner, walk } = loopOf(compiler, node, locals, variables);
    const tested = node.args.length === variables + 2;
    const test = tested
      ? compiler.condition(node.args[variables] as Node, inner, `What ${node.name} tests`)
      : undefined;
    const body = compiler.compile(node.args.at(-1) as Node, inner);
    return (evaluation) => {
      const result: Value[] = [];
      walk(evaluation, () => {
        if (test && !test(evaluation)) return;
        evaluation.budget.make(1);
        result.push(body(evaluation));
      });
      return result;
    };
  };
}

const filtered: Macro = (compiler, node, locals) => {
  const { inner, walk } = loopOf(compiler, node, locals, 1);
  const test = compiler.condition(node.args[1] as Node, inner, "What filter tests");
  return (evaluation) => {
    const result: Value[] = [];
    walk(evaluation, (item) => {
      if (!test(evaluation)) return;
      evaluation.budget.make(1);
      result.push(item);
    });
    return result;
  };
};

/** transformMap keeps the keys; transformMapEntry takes them out of an object that its last argument gives. */
function intoMap(entry: boolean): Macro {
  return (compiler, node, locals) => {
    const { inner, walk } = loopOf(compiler, node, locals, 2);
    const test =
      node.args.length === 4
        ? compiler.condition(node.args[2] as Node, inner, `What ${node.name} tests`)
        : undefined;
    const last = node.args.at(-1) as Node;
    const body = compiler.compile(last, inner);
    return (evaluation) => {
      const result: JsonObject = {};
      const put = (key: string, value: Value): void => {
        evaluation.budget.make(1);
        evaluation.budget.step(keyCost);
        if (entry && own(result, key) !== undefined)
          fail("bad-value", `The key "${key}" is made twice.`, last);
        setOwn(result, key, value as Json);
      };
      walk(evaluation, (_item, key) => {
        if (test && !test(evaluation)) return;
        const made = body(evaluation);
        if (!entry) return put(String(key), made);
        if (made === null || typeof made !== "object" || !isMap(made))
          fail(
            "wrong-kind",
            `transformMapEntry wants an object; this is ${article(kindOfValue(made))}.`,
            last,
          );
        for (const name of Object.keys(made as ValueMap)) put(name, own(made as JsonObject, name) as Value);
      });
      return result as ValueMap;
    };
  };
}

function optional(flat: boolean): Macro {
  return (compiler, node, locals) => {
    const slot = compiler.newSlot();
    const receiver = compiler.compile(node.receiver as Node, locals);
    const inner = new Map([...locals, [variableName(node.args[0] as Node), slot]]);
    const body = compiler.compile(node.args[1] as Node, inner);
    return (evaluation) => {
      const value = receiver(evaluation);
      if (!(value instanceof Optional))
        return fail(
          "wrong-kind",
          `${node.name} works on an optional value, as a.?b gives; this is ${article(kindOfValue(value))}.`,
          node,
        );
      if (value.value === undefined) return Optional.none;
      evaluation.slots[slot] = value.value;
      const result = body(evaluation);
      return flat ? result : new Optional(result);
    };
  };
}

/** The loops of CEL, by name and number of arguments. */
export const loops: readonly [string, Macro][] = [
  ["all/2", quantifier(1, false)],
  ["all/3", quantifier(2, false)],
  ["exists/2", quantifier(1, true)],
  ["exists/3", quantifier(2, true)],
  ["exists_one/2", countOne(1)],
  ["existsOne/2", countOne(1)],
  ["existsOne/3", countOne(2)],
  ["exists_one/3", countOne(2)],
  ["map/2", mapped(1)],
  ["map/3", mapped(1)],
  ["filter/2", filtered],
  ["transformList/3", mapped(2)],
  ["transformList/4", mapped(2)],
  ["transformMap/3", intoMap(false)],
  ["transformMap/4", intoMap(false)],
  ["transformMapEntry/3", intoMap(true)],
  ["transformMapEntry/4", intoMap(true)],
  ["optMap/2", optional(false)],
  ["optFlatMap/2", optional(true)],
];

/** Walks a list with one variable, for what is made of a value for each item. */
export function valuesOf(
  compiler: Compiler,
  node: CallNode,
  locals: Locals,
): (evaluation: Evaluation, visit: (item: Value, made: Value) => void) => void {
  const { inner, walk } = loopOf(compiler, node, locals, 1);
  const body = compiler.compile(node.args[1] as Node, inner);
  return (evaluation, visit) => walk(evaluation, (item) => visit(item, body(evaluation)));
}
