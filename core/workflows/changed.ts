import { isObject, printJson, type Json, type JsonObject } from "../values/json.js";
import { innerLists } from "./nested.js";
import { Source } from "./source.js";

/**
 * The first of some steps that is not the same in two texts of a workflow; undefined if all are. What stands in
 * steps inside of a step is theirs.
 */
export function firstChangedStep(
  before: string,
  after: string,
  names: readonly string[],
): string | undefined {
  const [one, other] = [ownParts(before), ownParts(after)];
  return names.find((name) => one.get(name) !== other.get(name));
}

/** What each step says itself, by name, as JSON. */
function ownParts(text: string): Map<string, string> {
  const parts = new Map<string, string>();
  const visit = (list: Json[]): void => {
    for (const step of list) {
      if (!isObject(step)) continue;
      const inner = innerLists(step);
      const own = structuredCopy(step);
      for (const { path } of inner) cutAt(own, path);
      parts.set(String(step["step"]), printJson(own));
      for (const { list: steps } of inner) visit(steps);
    }
  };
  const value = new Source(text).value;
  const steps = isObject(value) ? value["steps"] : undefined;
  if (Array.isArray(steps)) visit(steps);
  return parts;
}

function structuredCopy(value: JsonObject): JsonObject {
  const copy = (part: Json): Json =>
    Array.isArray(part)
      ? part.map(copy)
      : isObject(part)
        ? Object.fromEntries(Object.entries(part).map(([key, inner]) => [key, copy(inner)]))
        : part;
  return copy(value) as JsonObject;
}

function cutAt(value: Json, path: readonly (string | number)[]): void {
  let at = value;
  for (const part of path.slice(0, -1)) at = (at as never)[part] as Json;
  delete (at as never)[path.at(-1) as never];
}
