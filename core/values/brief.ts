import { Exact, printJson, type Json } from "./json.js";

/**
 * JSON on one line, cut where it is long. However large a value is, no more of it is printed than is shown.
 * @param most characters, the sign for what is left out among them
 */
export function briefJson(value: Json, most = 80): string {
  const text = printed(value, most + 1);
  return text.length > most ? `${text.slice(0, most - 1)}…` : text;
}

/** The first so many characters of a value, or a few more. */
function printed(value: Json, most: number): string {
  if (typeof value === "string") return printJson(value.slice(0, most));
  if (value === null || typeof value !== "object" || value instanceof Exact) return printJson(value);
  const isList = Array.isArray(value);
  let text = isList ? "[" : "{";
  let isFirst = true;
  for (const key in value) {
    if (text.length > most) return text;
    if (!isFirst) text += ",";
    isFirst = false;
    if (!isList) text += `${printJson(key.slice(0, most))}:`;
    text += printed((value as Record<string, Json>)[key] ?? null, most - text.length);
  }
  return text + (isList ? "]" : "}");
}
