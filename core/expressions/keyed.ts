import { Exact, own, setOwn, type Json, type JsonObject } from "../values/json.js";
import { article, fail } from "./evaluation.js";
import { valuesOf } from "./loops.js";
import type { Macro } from "./macro.js";
import { canonicalDecimal } from "../values/json.js";
import { compare, kindOfValue, type Value, type ValueMap } from "./values.js";

/** A text that is the same for equal keys, of the kinds that a key can have. */
function keyText(value: Value): string | undefined {
  switch (typeof value) {
    case "string":
      return `s${value}`;
    case "number":
      return `n${value}`;
    case "boolean":
      return `b${value}`;
    default:
      if (value === null) return "null";
      return value instanceof Exact ? `x${canonicalDecimal(value.digits)}` : undefined;
  }
}

const grouped: Macro = (compiler, node, locals) => {
  const walk = valuesOf(compiler, node, locals);
  return (evaluation) => {
    const groups = new Map<string, { key: Value; items: Value[] }>();
    walk(evaluation, (item, key) => {
      const text =
        keyText(key) ??
        fail(
          "wrong-kind",
          `${node.name} groups by texts, numbers, booleans or null; this is ${article(kindOfValue(key))}.`,
          node,
        );
      evaluation.budget.make(1);
      evaluation.budget.step(3);
      const group = groups.get(text);
      if (group) group.items.push(item);
      else groups.set(text, { key, items: [item] });
    });
    const list = [...groups.values()];
    if (node.name === "groupBy") return list as unknown as Value;
    return list.map(({ key, items }) => ({ key, count: items.length }));
  };
};

const indexed: Macro = (compiler, node, locals) => {
  const walk = valuesOf(compiler, node, locals);
  return (evaluation) => {
    const index: JsonObject = {};
    walk(evaluation, (item, key) => {
      if (typeof key !== "string" && typeof key !== "number" && typeof key !== "boolean")
        fail(
          "wrong-kind",
          `A key must be a text, a number or a boolean; this is ${article(kindOfValue(key))}.`,
          node,
        );
      evaluation.budget.make(1);
      evaluation.budget.step(2);
      // Of several with one key the first counts.
      if (own(index, String(key)) === undefined) setOwn(index, String(key), item as Json);
    });
    return index as ValueMap;
  };
};

const summed: Macro = (compiler, node, locals) => {
  const walk = valuesOf(compiler, node, locals);
  return (evaluation) => {
    let total = 0;
    walk(evaluation, (_item, value) => {
      if (typeof value !== "number")
        fail(
          value === null ? "null-value" : "wrong-kind",
          `sumBy adds numbers; ${compiler.source(node.args[1] as never)} is ${article(kindOfValue(value))} in one item.${value === null ? " Use default(…, 0) to give a value for that case." : ""}`,
          node.args[1] as never,
        );
      total += value as number;
    });
    return total;
  };
};

function extreme(better: (order: number) => boolean): Macro {
  return (compiler, node, locals) => {
    const walk = valuesOf(compiler, node, locals);
    return (evaluation) => {
      let best: { item: Value; key: Value } | undefined;
      walk(evaluation, (item, key) => {
        if (best === undefined) return void (best = { item, key });
        const order = compare(key, best.key, evaluation.budget.step) ?? noOrder(node, key, best.key);
        if (better(order)) best = { item, key };
      });
      return best === undefined ? null : best.item;
    };
  };
}

const sorted: Macro = (compiler, node, locals) => {
  const walk = valuesOf(compiler, node, locals);
  return (evaluation) => {
    const list: { item: Value; key: Value }[] = [];
    walk(evaluation, (item, key) => {
      evaluation.budget.make(1);
      list.push({ item, key });
    });
    evaluation.budget.step(list.length * 4);
    const { step } = evaluation.budget;
    return list
      .sort((a, b) => compare(a.key, b.key, step) ?? noOrder(node, a.key, b.key))
      .map(({ item }) => item);
  };
};

function noOrder(node: Parameters<Macro>[1], a: Value, b: Value): never {
  const what = a === null || b === null ? "null-value" : "wrong-kind";
  const hint = what === "null-value" ? " default(…, …) gives a value for null." : "";
  return fail(
    what,
    `${kindOfValue(a)} and ${kindOfValue(b)} cannot be compared.${hint}`,
    node.args[1] as never,
  );
}

/** Loops of our own: over a list, with a value for each item. */
export const keyed: readonly [string, Macro][] = [
  ["groupBy/2", grouped],
  ["countBy/2", grouped],
  ["indexBy/2", indexed],
  ["sumBy/2", summed],
  ["minBy/2", extreme((order) => order < 0)],
  ["maxBy/2", extreme((order) => order > 0)],
  ["sortBy/2", sorted],
];
