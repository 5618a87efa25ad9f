import { own, type JsonObject } from "../values/json.js";
import { article, fail } from "./evaluation.js";
import { missing } from "./faults.js";
import type { Node } from "./parse.js";
import { isMap, kindOfValue, Optional, type Value } from "./values.js";

// Reading keys and items of values. `source` gives the text of a node.

/** The names and indexes of a path that is written out, such as `steps.a.body.items[0].id`; undefined for anything else. */
export function writtenPath(
  node: Node,
): { root: Node & { op: "name" }; steps: (string | number)[] } | undefined {
  const steps: (string | number)[] = [];
  let at = node;
  for (;;) {
    if (at.op === "name") return { root: at, steps: steps.reverse() };
    if (at.op === "field" && !at.optional) steps.push(at.key);
    else if (at.op === "index" && !at.optional && at.index.op === "literal") {
      const { value } = at.index;
      if (typeof value === "string") steps.push(value);
      else if (typeof value === "bigint" && value >= 0n && value < 4_294_967_296n) steps.push(Number(value));
      else return undefined;
    } else return undefined;
    at = at.object;
  }
}

/**
 * Follows a path through plain objects and lists in one go. Undefined if it leads nowhere, or through anything else:
 * then it is followed step by step, for an error that says where.
 */
export function followPath(from: Value | undefined, steps: readonly (string | number)[]): Value | undefined {
  let value: unknown = from;
  for (const step of steps) {
    if (typeof value !== "object" || value === null) return undefined;
    if (Array.isArray(value)) {
      if (typeof step !== "number") return undefined;
      value = value[step];
    } else {
      if (Object.getPrototypeOf(value) !== Object.prototype || !Object.hasOwn(value, step)) return undefined;
      value = (value as Record<string, unknown>)[step];
    }
  }
  return value as Value | undefined;
}

/** An item of a list by its index. */
export function itemAt(
  source: (node: Node) => string,
  list: Value[],
  at: Value,
  node: Node & { op: "index" },
): Value {
  if (typeof at !== "number" || !Number.isInteger(at)) {
    return fail(
      "wrong-kind",
      `An index into a list is a whole number from 0; ${source(node.index)} is ${article(kindOfValue(at))}.`,
      node.index,
    );
  }
  const item = list[at];
  if (item !== undefined) return item;
  const size =
    list.length === 0 ? "is empty" : `has ${list.length} item${list.length === 1 ? "" : "s"}, counted from 0`;
  const last = at === -1 && list.length > 0 ? ` Write ${source(node.object)}.last() for the last one.` : "";
  return fail("no-such-index", `No item ${at} in ${source(node.object)}: it ${size}.${last}`, node);
}

/** A key that may be absent, of what may be absent or null itself; anything else has no keys. */
export function optionalKey(
  source: (node: Node) => string,
  value: Value,
  key: string,
  node: Node & { object: Node },
): Optional {
  const inner = value instanceof Optional ? value.value : value;
  if (inner === undefined || inner === null) return Optional.none;
  if (typeof inner !== "object" || !isMap(inner)) return missing(source, inner, key, node.object, node);
  const found = own(inner as JsonObject, key) as Value | undefined;
  return found === undefined ? Optional.none : new Optional(found);
}

/** An item that may be absent. */
export function optionalItem(list: Value[], at: Value): Optional {
  const found = typeof at === "number" ? list[at] : undefined;
  return found === undefined ? Optional.none : new Optional(found);
}

/** What an optional value holds: nothing, or one value. */
export function heldBy(value: Value, node: Node): Value[] {
  if (value instanceof Optional) return value.value === undefined ? [] : [value.value];
  return fail(
    "wrong-kind",
    `After ? there must be an optional value, such as a.?b; this is ${article(kindOfValue(value))}.`,
    node,
  );
}
