import { ExpressionError } from "../expressions/errors.js";
import { parseExpression } from "../expressions/parse.js";
import { references } from "../expressions/references.js";
import { splitTemplate } from "../expressions/templates.js";
import { isObject, own, type Json } from "../values/json.js";
import type { Path } from "../values/paths.js";
import { fieldAt } from "../workflows/fields.js";

/** A place of a file that reads something, and what: `["steps", "guest", "body"]`. */
export interface Read {
  at: Path;
  path: string[];
}

/** Everything that the expressions below a place read. What cannot be parsed reads nothing. */
export function readsBelow(value: Json, at: Path): Read[] {
  if (typeof value === "string") return readsOf(value, at);
  if (Array.isArray(value)) return value.flatMap((item, index) => readsBelow(item, [...at, index]));
  if (!isObject(value)) return [];
  return Object.keys(value).flatMap((key) => readsBelow(own(value, key) as Json, [...at, key]));
}

function readsOf(text: string, at: Path): Read[] {
  const kind = fieldAt(at);
  const codes = kind === "expression" ? [text] : kind === "template" || kind === "value" ? codesIn(text) : [];
  return codes.flatMap((code) => {
    try {
      return references(parseExpression(code)).map(({ path }) => ({ at, path }));
    } catch (error) {
      if (error instanceof ExpressionError) return [];
      throw error;
    }
  });
}

function codesIn(text: string): string[] {
  if (!text.includes("${")) return [];
  try {
    return splitTemplate(text).flatMap((part) => ("code" in part ? [part.code] : []));
  } catch (error) {
    if (error instanceof ExpressionError) return [];
    throw error;
  }
}
