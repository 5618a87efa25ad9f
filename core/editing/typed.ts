import { Exact, isObject, own, parseJson, type Json } from "../values/json.js";

/** A value that a person typed: JSON where it is, else the text itself. */
export function valueOfWords(text: string): Json {
  try {
    return parseJson(text);
  } catch {
    return text;
  }
}

/**
 * What a person typed into a field that holds a text or a template, in the type that belongs there: a number where the schema
 * wants one, or where one stood before. All else is the text.
 */
export function valueTyped(text: string, schema: Json | undefined, before?: Json): Json {
  const said = isObject(schema ?? null) ? own(schema as { [key: string]: Json }, "type") : undefined;
  const types = [said ?? []].flat().map(String);
  const isKnown = types.length > 0;
  const takes = (...wanted: string[]): boolean =>
    isKnown
      ? !types.includes("string") && types.some((type) => wanted.includes(type))
      : wanted.includes(before === null ? "null" : typeof before);
  const value = valueOfWords(text);
  if (typeof value === "boolean") return takes("boolean") ? value : text;
  if (value === null) return takes("null") ? value : text;
  const isNumber = typeof value === "number" || value instanceof Exact;
  return isNumber && takes("number", "integer") ? value : text;
}
