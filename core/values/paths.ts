import { isObject, own, type Json } from "./json.js";

/** The way to a place in a JSON value: keys and list indexes from the root. */
export type Path = readonly (string | number)[];

const plainKey = /^[A-Za-z_][A-Za-z0-9_]*$/;

/** Prints a path as an expression writes it: `steps.guest.body.items[0]["first name"]`. */
export function printPath(path: Path): string {
  let text = "";
  for (const part of path) {
    if (typeof part === "number") text += `[${part}]`;
    else if (plainKey.test(part)) text += text === "" ? part : `.${part}`;
    else text += `[${JSON.stringify(part)}]`;
  }
  return text;
}

/** The value at a path, or undefined where the path leaves the value. */
export function valueAt(root: Json, path: Path): Json | undefined {
  let value: Json | undefined = root;
  for (const part of path) {
    if (Array.isArray(value) && typeof part === "number") value = value[part];
    else if (isObject(value)) value = own(value, String(part));
    else return undefined;
    if (value === undefined) return undefined;
  }
  return value;
}
