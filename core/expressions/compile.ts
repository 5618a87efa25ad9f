import { own, setOwn, type JsonObject } from "../values/json.js";
import { followPath, heldBy, itemAt, optionalItem, optionalKey, writtenPath } from "./access.js";
import { ExpressionError } from "./errors.js";
import {
  article,
  Evaluation,
  fail,
  located,
  type Locals,
  type Run,
  type Surroundings,
} from "./evaluation.js";
import type { Budget } from "./budget.js";
import { checkCount, checkKind, heldFunction, missing, unknownFunction, unknownName } from "./faults.js";
import { CallFailure } from "./library/entry.js";
import { findFunction, namespaces } from "./library/table.js";
import { denotations } from "./library/conversions.js";
import { compileMacro } from "./macros.js";
import { binary, literalValue, negate, OperatorFault } from "./operators.js";
import { parseExpression, type Node } from "./parse.js";
import { isMap, kindOfValue, Optional, type Value, type ValueMap } from "./values.js";

/** An expression that was parsed and made ready to run; holds nothing of the data it last saw. */
export interface Expression {
  readonly text: string;
  readonly tree: Node;
  /**
   * Evaluates against the names in scope.
   * @param budget what is left for it; without one a whole one
   * @throws ExpressionError, and nothing else
   */
  evaluate(scope: ValueMap, surroundings: Surroundings, budget?: Budget): Value;
}

/**
 * @param label names the field in which the expression stands; ids made by `uuid()` depend on it
 * @param offset where the expression begins in that field's text
 * @throws ExpressionError with code `syntax`, `too-large` or `unknown-function`
 */
export function compile(text: string, label = "", offset = 0): Expression {
  const tree = parseExpression(text);
  const run = new Compiler(text, (node) => `${label}:${offset + node.start}`).compile(tree, new Map());
  return {
    text,
    tree,
    evaluate(scope, surroundings, budget) {
      try {
        return run(new Evaluation(scope, surroundings, budget));
      } catch (error) {
        throw located(error, tree);
      }
    },
  };
}

/** Turns a syntax tree into closures. */
export class Compiler {
  #slots = 0;
  readonly #lazy = new Map<number, Run>();

  constructor(
    readonly text: string,
    readonly place: (node: Node) => string,
  ) {}

  /** A place for a variable; `lazy` works it out when it is first read. */
  newSlot(lazy?: Run): number {
    const slot = this.#slots++;
    if (lazy) this.#lazy.set(slot, lazy);
    return slot;
  }

  /** Reads a variable. */
  slot(slot: number): Run {
    const lazy = this.#lazy.get(slot);
    if (!lazy) return (evaluation) => evaluation.slots[slot] as Value;
    return (evaluation) => (evaluation.slots[slot] ??= lazy(evaluation));
  }

  readonly source = (node: Node): string => this.text.slice(node.start, node.end);

  compile(node: Node, locals: Locals): Run {
    const run = this.#compile(node, locals);
    return (evaluation) => {
      try {
        evaluation.budget.step(1);
        return run(evaluation);
      } catch (error) {
        throw error instanceof ExpressionError ? error : located(error, node);
      }
    };
  }

  #compile(node: Node, locals: Locals): Run {
    switch (node.op) {
      case "literal": {
        const value = literalValue(node.value);
        return () => value;
      }
      case "name":
        return this.#name(node, locals);
      case "field":
      case "index":
        return this.#path(node, locals) ?? this.#step(node, locals);
      case "call":
        return this.#call(node, locals);
      case "list":
        return this.#list(node, locals);
      case "map":
        return this.#map(node, locals);
      case "choice": {
        const condition = this.condition(node.condition, locals, "The part before ?");
        const then = this.compile(node.then, locals);
        const otherwise = this.compile(node.otherwise, locals);
        return (evaluation) => (condition(evaluation) ? then(evaluation) : otherwise(evaluation));
      }
      case "or":
      case "and":
        return this.#logic(node, locals);
      case "not": {
        const operand = this.condition(node.operand, locals, "The part after !");
        return (evaluation) => !operand(evaluation);
      }
      case "negate": {
        const operand = this.compile(node.operand, locals);
        return (evaluation) => guarded(node, () => negate(operand(evaluation)));
      }
      case "binary": {
        const left = this.compile(node.left, locals);
        const right = this.compile(node.right, locals);
        const operate = binary(node.sign);
        return (evaluation) => {
          const a = left(evaluation);
          const b = right(evaluation);
          return guarded(node, () => operate(a, b, evaluation.budget));
        };
      }
    }
  }

  /** An expression that must give true or false. */
  condition(node: Node, locals: Locals, what: string): (evaluation: Evaluation) => boolean {
    const run = this.compile(node, locals);
    return (evaluation) => {
      const value = run(evaluation);
      if (typeof value === "boolean") return value;
      return fail(
        "wrong-kind",
        `${what} must be true or false; ${this.source(node)} is ${article(kindOfValue(value))}.${what.includes("||") ? " default(one, another) gives another where one is absent or null." : ""}`,
        node,
      );
    };
  }

  #list(node: Node & { op: "list" }, locals: Locals): Run {
    const items = node.items.map(({ value }) => this.compile(value, locals));
    const optional = node.items.map((item) => item.optional);
    if (!optional.includes(true))
      return (evaluation) => {
        evaluation.budget.make(items.length);
        return items.map((item) => item(evaluation));
      };
    return (evaluation) => {
      evaluation.budget.make(items.length);
      const list: Value[] = [];
      items.forEach((item, index) => {
        const value = item(evaluation);
        if (!optional[index]) list.push(value);
        else list.push(...heldBy(value, (node.items[index] as { value: Node }).value));
      });
      return list;
    };
  }

  #name(node: Node & { op: "name" }, locals: Locals): Run {
    const { name } = node;
    const slot = node.root ? undefined : locals.get(name);
    if (slot !== undefined) return this.slot(slot);
    return (evaluation) => {
      const value = own(evaluation.scope as JsonObject, name) as Value | undefined;
      if (value !== undefined) return value;
      const denoted = denotations.get(name);
      if (denoted) return denoted;
      return unknownName(name, evaluation.scope, node);
    };
  }

  #step(node: Node & { op: "field" | "index" }, locals: Locals): Run {
    return node.op === "field" ? this.#field(node, locals) : this.#index(node, locals);
  }

  /** A path that is written out is followed in one go, and step by step only for its error. */
  #path(node: Node & { op: "field" | "index" }, locals: Locals): Run | undefined {
    const path = writtenPath(node);
    if (!path || path.steps.length < 2) return undefined;
    const { root, steps } = path;
    const slot = root.root ? undefined : locals.get(root.name);
    const start: (evaluation: Evaluation) => Value | undefined =
      slot !== undefined
        ? this.slot(slot)
        : (evaluation) => own(evaluation.scope as JsonObject, root.name) as Value | undefined;
    let careful: Run | undefined;
    return (evaluation) => {
      evaluation.budget.step(steps.length);
      const found = followPath(start(evaluation), steps);
      if (found !== undefined) return found;
      careful ??= this.#step(node, locals);
      return careful(evaluation);
    };
  }

  #field(node: Node & { op: "field" }, locals: Locals): Run {
    const object = this.compile(node.object, locals);
    const key = node.key;
    return (evaluation) => {
      const value = object(evaluation);
      if (node.optional || value instanceof Optional) return optionalKey(this.source, value, key, node);
      const found =
        typeof value === "object" && value !== null && isMap(value)
          ? (own(value as JsonObject, key) as Value)
          : undefined;
      return found !== undefined ? found : missing(this.source, value, key, node.object, node);
    };
  }

  #index(node: Node & { op: "index" }, locals: Locals): Run {
    const object = this.compile(node.object, locals);
    const index = this.compile(node.index, locals);
    return (evaluation) => {
      const value = object(evaluation);
      const at = index(evaluation);
      if (node.optional || value instanceof Optional) {
        const inner = value instanceof Optional ? value.value : value;
        return Array.isArray(inner)
          ? optionalItem(inner, at)
          : optionalKey(this.source, value, String(at), node);
      }
      if (Array.isArray(value)) return itemAt(this.source, value as Value[], at, node);
      const found =
        typeof value === "object" && value !== null && isMap(value)
          ? (own(value as JsonObject, String(at)) as Value)
          : undefined;
      return found !== undefined ? found : missing(this.source, value, String(at), node.object, node);
    };
  }

  #map(node: Node & { op: "map" }, locals: Locals): Run {
    const entries = node.entries.map(({ key, value, optional }) => ({
      key: this.compile(key, locals),
      keyNode: key,
      value: this.compile(value, locals),
      valueNode: value,
      optional,
    }));
    return (evaluation) => {
      evaluation.budget.make(entries.length);
      const map: ValueMap = {};
      for (const { key, keyNode, value, valueNode, optional } of entries) {
        const name = key(evaluation);
        if (typeof name !== "string" && typeof name !== "number" && typeof name !== "boolean") {
          fail(
            "wrong-kind",
            `A key must be a text, a number or a boolean; ${this.source(keyNode)} is ${article(kindOfValue(name))}.${keyNode.op === "name" ? ` Write "${keyNode.name}", in quotes.` : ""}`,
            keyNode,
          );
        }
        if (own(map as JsonObject, String(name)) !== undefined)
          fail("bad-value", `The key "${String(name)}" is used twice here.`, keyNode);
        const made = value(evaluation);
        for (const one of optional ? heldBy(made, valueNode) : [made])
          setOwn(map as JsonObject, String(name), one as never);
      }
      return map;
    };
  }

  /** `||` and `&&` as in CEL: an error on one side does not matter when the API decides. */
  #logic(node: Node & { op: "or" | "and" }, locals: Locals): Run {
    const decisive = node.op === "or";
    const sign = decisive ? "||" : "&&";
    const left = this.condition(node.left, locals, `The left side of ${sign}`);
    const right = this.condition(node.right, locals, `The right side of ${sign}`);
    return (evaluation) => {
      let first: boolean;
      try {
        first = left(evaluation);
      } catch (error) {
        if (!(error instanceof ExpressionError) || error.code === "budget") throw error;
        if (right(evaluation) === decisive) return decisive;
        throw error;
      }
      return first === decisive ? decisive : right(evaluation);
    };
  }

  #call(node: Node & { op: "call" }, locals: Locals): Run {
    const macro = compileMacro(this, node, locals);
    if (macro) return macro;
    const receiver = node.receiver;
    const space =
      receiver?.op === "name" && !locals.has(receiver.name) && namespaces.has(receiver.name)
        ? receiver.name
        : undefined;
    const name = space ? `${space}.${node.name}` : node.name;
    if (receiver?.op === "name" && !space && !locals.has(receiver.name)) heldFunction(receiver.name, node);
    const entry = findFunction(name, receiver !== undefined && !space);
    if (!entry) return unknownFunction(name, receiver !== undefined && !space, node);
    const argNodes = receiver && !space ? [receiver, ...node.args] : node.args;
    checkCount(entry, argNodes.length, node);
    const args = argNodes.map((arg) => this.compile(arg, locals));
    return (evaluation) => {
      const values = args.map((arg) => arg(evaluation));
      for (const value of values) {
        // Whatever a function does with a text takes time in proportion to it.
        const length = typeof value === "string" || value instanceof Uint8Array ? value.length : 0;
        if (length > 64) evaluation.budget.step(length >> 3);
      }
      values.forEach((value, index) => checkKind(this.source, entry, index, value, argNodes[index] as Node));
      try {
        return entry.call(values, {
          step: evaluation.budget.step,
          make: evaluation.budget.make,
          isFirst: evaluation.isFirst,
          now: () => evaluation.surroundings.now(),
          uuid: () => evaluation.uuid(this.place(node)),
          remembered: (key) => evaluation.surroundings.remembered?.(key) ?? {},
        });
      } catch (error) {
        if (error instanceof CallFailure) {
          const at = error.argument === undefined ? node : (argNodes[error.argument] ?? node);
          fail(error.code, `${entry.name}: ${error.message}`, at);
        }
        throw error;
      }
    };
  }
}

function guarded(node: Node, operate: () => Value): Value {
  try {
    return operate();
  } catch (error) {
    if (error instanceof OperatorFault) fail(error.code, error.message, node);
    throw error;
  }
}
