import { compile } from "./compile.js";
import { Budget } from "./budget.js";
import { ExpressionError } from "./errors.js";
import { located, type Surroundings } from "./evaluation.js";
import { macroEntries } from "./library/macro-table.js";
import { findFunction, namespaces } from "./library/table.js";
import { variableName } from "./macro.js";
import { loopVariables } from "./macros.js";
import type { Node } from "./parse.js";
import { printExpression } from "./print.js";
import { splitTemplate } from "./templates.js";
import { isMap, NotJson, Optional, toJson, type Value, type ValueMap } from "./values.js";
import { own, type Json, type JsonObject } from "../values/json.js";

/** A part of an expression, with what it gives. */
export interface Part {
  /** The part as text. */
  text: string;
  /** How deep it stands: the whole expression has 0. */
  depth: number;
  /** What it gives; undefined where it gives nothing, or cannot be worked out. */
  value: Json | undefined;
  /** Why it cannot be worked out. */
  fault?: string;
  /** What the function does that it calls, in one line. */
  help?: string;
  /** The names that a loop around it gives, with what they are: its first item. */
  first?: string;
  /** Whether the whole does not need it: the other branch of a choice was taken, or what is before it decides. */
  unused?: true;
}

/** So many parts are shown of one expression. */
export const mostParts = 60;

/**
 * Takes an expression apart: the whole first, then each part that stands in it, with what it gives. Parts within a loop are
 * worked out for its first item. The whole has the budget of an evaluation, and all its parts share another one.
 * @returns the first `mostParts` of them
 * @throws ExpressionError with code `syntax`, `too-large` or `unknown-function`
 */
export function unfold(text: string, scope: ValueMap, surroundings: Surroundings): Part[] {
  return new Unfolding(surroundings).parts([compile(text).tree], scope);
}

/** Takes the expressions in a text with `${…}` parts apart, one after the other. @throws ExpressionError as {@link unfold} */
export function unfoldTemplate(source: string, scope: ValueMap, surroundings: Surroundings): Part[] {
  const trees = splitTemplate(source).flatMap((part) => ("code" in part ? [compile(part.code).tree] : []));
  return new Unfolding(surroundings).parts(trees, scope);
}

class Unfolding {
  readonly #parts: Part[] = [];
  readonly #budget = new Budget();

  constructor(readonly surroundings: Surroundings) {}

  parts(trees: readonly Node[], scope: ValueMap): Part[] {
    for (const tree of trees) this.#add(tree, scope, { depth: 0 });
    return this.#parts;
  }

  /** @returns what the part gives, for what stands beside it */
  #add(node: Node, scope: ValueMap, as: Pick<Part, "depth" | "first" | "unused">): Value | undefined {
    if (node.op === "literal" && as.depth > 0) return undefined;
    if (this.#parts.length >= mostParts) return undefined;
    const part: Part = { text: printExpression(node), value: undefined, ...as };
    const help = helpOf(node);
    if (help !== undefined) part.help = help;
    this.#parts.push(part);
    const value = this.#work(part, node, scope);
    this.#within(node, scope, { depth: as.depth + 1, ...(as.unused ? { unused: true } : {}) }, value);
    return value;
  }

  #work(part: Part, node: Node, scope: ValueMap): Value | undefined {
    try {
      const budget = part.depth === 0 ? new Budget() : this.#budget;
      const value = compile(part.text).evaluate(scope, this.surroundings, budget);
      part.value = toJson(value);
      return value;
    } catch (thrown) {
      const error = thrown instanceof NotJson ? thrown : located(thrown, node);
      if (!(error instanceof ExpressionError || error instanceof NotJson)) throw error;
      // The whole has a budget of its own: what fails here may well be worked out alone.
      const isTooMuch = part.depth > 0 && error instanceof ExpressionError && error.code === "budget";
      part.fault = isTooMuch
        ? "Not worked out: the parts of this expression do too much together."
        : error.message;
      return undefined;
    }
  }

  #within(node: Node, scope: ValueMap, as: Pick<Part, "depth" | "unused">, value: Value | undefined): void {
    const add = (inner: Node, isUnused = false): Value | undefined =>
      this.#add(inner, scope, { ...as, ...(isUnused ? { unused: true } : {}) });
    switch (node.op) {
      case "literal":
      case "name":
        return;
      case "field":
      case "index":
        return this.#path(node, scope, as);
      case "list":
        return node.items.forEach((item) => void add(item.value));
      case "map":
        return node.entries.forEach((entry) => (add(entry.key), void add(entry.value)));
      case "choice": {
        const condition = add(node.condition);
        add(node.then, condition === false);
        return void add(node.otherwise, condition === true);
      }
      case "or":
      case "and": {
        const left = add(node.left);
        return void add(node.right, left === (node.op === "or"));
      }
      case "not":
      case "negate":
        return void add(node.operand);
      case "binary":
        return (add(node.left), void add(node.right));
      case "call":
        return this.#call(node, scope, as, value);
    }
  }

  /** A path is one part; what it begins with is another one where that is no name, and so is an index that is worked out. */
  #path(node: Node, scope: ValueMap, as: Pick<Part, "depth" | "unused">): void {
    let inner = node;
    while (inner.op === "field" || inner.op === "index") {
      if (inner.op === "index") this.#add(inner.index, scope, as);
      inner = inner.object;
    }
    if (inner.op !== "name") this.#add(inner, scope, as);
  }

  #call(
    node: Node & { op: "call" },
    scope: ValueMap,
    as: Pick<Part, "depth" | "unused">,
    value: Value | undefined,
  ): void {
    const { receiver, name, args } = node;
    const isCel =
      receiver?.op === "name" && receiver.name === "cel" && own(scope as JsonObject, "cel") === undefined;
    if (isCel && name === "bind" && args.length === 3) {
      const [variable, bound, body] = args as [Node, Node, Node];
      const given = this.#add(bound, scope, as);
      const inner = given === undefined ? scope : { ...scope, [variableName(variable)]: given };
      return void this.#add(body, inner, as);
    }
    const count = receiver ? loopVariables(node) : 0;
    if (receiver && count > 0) {
      const list = this.#add(receiver, scope, as);
      const names = args.slice(0, count).map(variableName);
      const first = firstOf(list, names);
      if (!first) return;
      const words = names.map((one) => `${one} is the first`).join(", ");
      for (const body of args.slice(count)) this.#add(body, { ...scope, ...first }, { ...as, first: words });
      return;
    }
    const isSpace = receiver?.op === "name" && namespaces.has(receiver.name);
    if (receiver && !isSpace) this.#add(receiver, scope, as);
    // The second part of a default is needed only where the first one gives nothing.
    const isDefault = !receiver && (name === "default" || name === "defaultIfBlank") && args.length === 2;
    let before: Value | undefined;
    args.forEach((arg, index) => {
      const isUnused =
        isDefault && index === 1 && before !== undefined && before !== null && before === value;
      before = this.#add(arg, scope, isUnused ? { ...as, unused: true } : as);
    });
  }
}

/** What the variables of a loop are at its first item; undefined where there is none. */
function firstOf(list: Value | undefined, names: readonly string[]): ValueMap | undefined {
  const [one = "", two] = names;
  const pair = (key: Value, item: Value): ValueMap =>
    two === undefined ? { [one]: item } : { [one]: key, [two]: item };
  if (list instanceof Optional) return list.value === undefined ? undefined : { [one]: list.value };
  if (Array.isArray(list)) return list.length === 0 ? undefined : pair(0, list[0] as Value);
  if (list === undefined || list === null || typeof list !== "object" || !isMap(list)) return undefined;
  const [key] = Object.keys(list);
  if (key === undefined) return undefined;
  const item = own(list as JsonObject, key) as Value;
  return two === undefined ? { [one]: key } : pair(key, item);
}

function helpOf(node: Node): string | undefined {
  if (node.op !== "call") return undefined;
  const { receiver, name } = node;
  const space =
    receiver?.op === "name" && namespaces.has(receiver.name) ? `${receiver.name}.${name}` : undefined;
  return (
    macroEntries.find((entry) => entry.name === (space ?? name))?.help ??
    findFunction(space ?? name, receiver !== undefined && space === undefined)?.help
  );
}
