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
  if (Array.isArray(value)) {
    let text = "[";
    for (let at = 0; at < value.length && text.length <= most; at++)
      text += (at > 0 ? "," : "") + printed(value[at] ?? null, most - text.length);
    return `${text}]`;
  }
  let text = "{";
  for (const [key, inner] of Object.entries(value)) {
    if (text.length > most) break;
    text += `${text === "{" ? "" : ","}${printJson(key.slice(0, most))}:${printed(inner, most - text.length)}`;
  }
  return `${text}}`;
}
