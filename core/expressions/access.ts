import { own, type JsonObject } from "../values/json.js";
import { article, fail } from "./evaluation.js";
import { missing } from "./faults.js";
import type { Node } from "./parse.js";
import { isMap, kindOfValue, Optional, type Value } from "./values.js";

// Reading keys and items of values. `source` gives the text of a node.

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
  return fail("no-such-index", `No item ${at} in ${source(node.object)}: it ${size}.`, node);
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
    `After ? stands an optional value, as a.?b gives; this is ${article(kindOfValue(value))}.`,
    node,
  );
}
