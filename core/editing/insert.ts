import { isObject, own, type Json } from "../values/json.js";
import { printPath, type Path } from "../values/paths.js";
import type { FieldKind } from "../workflows/document-fields.js";

/** An index is turned into the first item that fits, where one of its fields tells the item from all others. */
export function firstWhere(path: Path, value: (path: Path) => Json | undefined): string | undefined {
  const at = path.findIndex((part) => typeof part === "number");
  if (at < 0) return undefined;
  const list = value(path.slice(0, at));
  const item = value(path.slice(0, at + 1));
  if (!Array.isArray(list) || list.length < 2 || !isObject(item)) return undefined;
  const key = Object.keys(item).find((name) => {
    const own_ = own(item, name);
    if (typeof own_ !== "string" || own_.length > 60 || !/^[A-Za-z_]\w*$/.test(name)) return false;
    return list.filter((one) => isObject(one) && own(one, name) === own_).length === 1;
  });
  if (key === undefined) return undefined;
  const rest = printPath(["x", ...path.slice(at + 1)]).slice(1);
  return `${printPath(path.slice(0, at))}.filter(one, one.${key} == ${JSON.stringify(own(item, key))})[0]${rest}`;
}

/**
 * A picked value as its place wants it: bare in a condition, in `${…}` in a text.
 * @param isLoose whether a sample showed the value as null or absent: it gets a default
 */
export function insertion(code: string, kind: FieldKind | undefined, isLoose = false): string {
  const safe = isLoose ? `default(${code}, "")` : code;
  return kind === "expression" ? safe : `\${${safe}}`;
}
