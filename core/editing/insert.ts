import { isObject, own, printJson, type Json, type JsonObject } from "../values/json.js";
import { printPath, type Path } from "../values/paths.js";
import type { FieldKind } from "../workflows/document-fields.js";
import { nameFrom } from "./names.js";

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

/** A loop over a list that was picked. Its item has the name of one of what the list's step or field is called. */
export function loopOver(path: Path): JsonObject {
  const words = path.filter((part) => typeof part === "string");
  const plural = [words[1], words.at(-1)].find(
    (word) => word !== undefined && /[a-z]s$/.test(word) && word !== "items",
  );
  const one = plural === undefined ? "item" : nameFrom(plural.slice(0, -1));
  return { step: nameFrom(`each ${one}`), each: printPath(path), as: one, steps: [] };
}

/**
 * What has to hold of the response of a call for a picked value to be what it is now; with what had to hold before.
 * @param path of the value, `["steps", "guest", "body", "state"]`
 * @returns undefined where the value is no plain one of a response
 */
export function successWhere(path: Path, value: Json, before: Json | undefined): string | undefined {
  const [root, step, part] = path;
  if (root !== "steps" || step === undefined || !["status", "headers", "body"].includes(String(part)))
    return undefined;
  if (isObject(value) || Array.isArray(value)) return undefined;
  const said = `${printPath(path.slice(2))} == ${printJson(value)}`;
  if (typeof before !== "string" || before.trim() === "") return said;
  return before.includes(said) ? before : `${/\|\||\?/.test(before) ? `(${before})` : before} && ${said}`;
}

/** What each item of a loop gives, with one more value under a name of its own. */
export function collected(before: Json | undefined, as: string, path: Path): string {
  const name = String(path.findLast((part) => typeof part === "string") ?? "value");
  const pair = `'${name.replaceAll("'", "")}': ${printPath(path)}`;
  const text = typeof before === "string" ? before.trim() : "";
  if (text === "") return `merge(${as}, {${pair}})`;
  if (text.includes(pair)) return text;
  const open = /^(?:merge\(.*, )?\{.*[^{]\}\)?$/s.test(text) ? text.lastIndexOf("}") : -1;
  return open < 0 ? `merge(${text}, {${pair}})` : `${text.slice(0, open)}, ${pair}${text.slice(open)}`;
}
