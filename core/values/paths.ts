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

/** A path as `printPath` writes it, or with keys as they are: `steps[0].query.email`, `limits.when-busy`. */
export function parsePath(text: string): Path {
  return [...text.matchAll(/\[("(?:[^"\\]|\\.)*")\]|\[(\d+)\]|([^.[\]]+)/g)].map(([, quoted, index, key]) =>
    quoted !== undefined
      ? (JSON.parse(quoted) as string)
      : index !== undefined
        ? Number(index)
        : (key as string),
  );
}

/** The value at a path, or undefined if the path leaves the value. */
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

/** The places of all texts and numbers of a value. */
export function leafPlaces(root: Json): Path[] {
  const found: Path[] = [];
  const visit = (value: Json, place: Path): void => {
    if (Array.isArray(value)) value.forEach((item, index) => visit(item, [...place, index]));
    else if (isObject(value))
      for (const key of Object.keys(value)) visit(own(value, key) as Json, [...place, key]);
    else if (value !== null && typeof value !== "boolean") found.push(place);
  };
  visit(root, []);
  return found;
}

/** A place as one of every item of the lists on its way. */
export function ofEveryItem(place: Path): Path {
  return place.map((part) => (typeof part === "number" ? "*" : part));
}

/** The places of a value that a path leads to, where `*` stands for every item or key; none where it leaves the value. */
export function placesAt(root: Json, path: Path): (string | number)[][] {
  const follow = (value: Json | undefined, at: number, place: (string | number)[]): (string | number)[][] => {
    if (value === undefined) return [];
    if (at === path.length) return [place];
    const part = path[at] as string | number;
    if (Array.isArray(value)) {
      const indexes = part === "*" ? [...value.keys()] : [Number(part)];
      return indexes.flatMap((index) => follow(value[index], at + 1, [...place, index]));
    }
    if (!isObject(value)) return [];
    const keys = part === "*" ? Object.keys(value) : [String(part)];
    return keys.flatMap((key) => follow(own(value, key), at + 1, [...place, key]));
  };
  return follow(root, 0, []);
}
