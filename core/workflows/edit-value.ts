import { Exact, isObject, own, setOwn, type Json, type JsonObject } from "../values/json.js";
import { printPath, valueAt, type Path } from "../values/paths.js";

/** What becomes of the value of a file by an edit of its text (`edit.ts`). */

function copyOf(value: JsonObject): JsonObject {
  const copy: JsonObject = {};
  for (const key of Object.keys(value)) setOwn(copy, key, own(value, key) as Json);
  return copy;
}

/** A value with another one at a place; what lies on the way is made. */
export function withValue(root: Json | undefined, path: Path, value: Json): Json {
  const [part, ...rest] = path;
  if (part === undefined) return value;
  if (Array.isArray(root)) {
    const copy = [...root];
    copy[Math.min(Number(part), root.length)] = withValue(root[Number(part)], rest, value);
    return copy;
  }
  if (!isObject(root) && typeof part === "number") return [withValue(undefined, rest, value)];
  const copy = isObject(root) ? copyOf(root) : {};
  setOwn(copy, String(part), withValue(own(copy, String(part)), rest, value));
  return copy;
}

/** A value without what is at a place. */
export function without(root: Json, path: Path): Json {
  const [part, ...rest] = path;
  if (part === undefined) return root;
  if (Array.isArray(root)) {
    if (rest.length === 0) return root.filter((_item, index) => index !== Number(part));
    return root.map((item, index) => (index === Number(part) ? without(item, rest) : item));
  }
  if (!isObject(root)) return root;
  const copy: JsonObject = {};
  for (const key of Object.keys(root)) {
    const inner = own(root, key) as Json;
    if (key !== String(part)) setOwn(copy, key, inner);
    else if (rest.length > 0) setOwn(copy, key, without(inner, rest));
  }
  return copy;
}

/** A value with another key and value in the place of one. */
export function withKey(root: Json, path: Path, key: string, value: Json): Json {
  return inMapping(root, path, (name, inner) => (name === path.at(-1) ? [[key, value]] : [[name, inner]]));
}

/** A value with one more field behind another one. */
export function withFieldAfter(root: Json, path: Path, value: Json, after: string): Json {
  const added: [string, Json] = [String(path.at(-1)), value];
  return inMapping(root, path, (name, inner) => (name === after ? [[name, inner], added] : [[name, inner]]));
}

/** A value with the fields of the mapping around a place made again, each from one. */
function inMapping(root: Json, path: Path, make: (key: string, value: Json) => [string, Json][]): Json {
  const parent = path.slice(0, -1);
  const mapping = valueAt(root, parent);
  if (!isObject(mapping)) return root;
  const made: JsonObject = {};
  for (const key of Object.keys(mapping))
    for (const [name, value] of make(key, own(mapping, key) as Json)) setOwn(made, name, value);
  return withValue(root, parent, made);
}

/** A value with an item put into one of its lists. */
export function withItem(root: Json, list: Path, index: number, value: Json): Json {
  const items = valueAt(root, list) ?? [];
  const now = Array.isArray(items) ? items : [];
  return withValue(root, list, [...now.slice(0, index), value, ...now.slice(index)]);
}

export const sameAs = (one: Path, other: Path): boolean => printPath(one) === printPath(other);
export const startsWith = (path: Path, head: Path): boolean => sameAs(path.slice(0, head.length), head);

/** A path after an item was put into a list (or taken out of it, with `by` of -1) at an index. */
export function shifted(path: Path, list: Path, index: number, by = 1): Path {
  const part = path[list.length];
  if (!startsWith(path, list) || typeof part !== "number" || part < index) return path;
  return [...path.slice(0, list.length), part + by, ...path.slice(list.length + 1)];
}

/** Whether two values print the same JSON: every digit and the order of the keys count. Parts that are one are not looked into. */
export function isSame(a: Json, b: Json): boolean {
  if (a === b) return true;
  if (Array.isArray(a) && Array.isArray(b))
    return a.length === b.length && a.every((item, index) => isSame(item, b[index] as Json));
  if (!isObject(a) || !isObject(b)) return a instanceof Exact && b instanceof Exact && a.digits === b.digits;
  const [keys, others] = [Object.keys(a), Object.keys(b)];
  return (
    keys.length === others.length &&
    keys.every((key, index) => key === others[index] && isSame(own(a, key) as Json, own(b, key) as Json))
  );
}
