import { isObject, type Json, type JsonObject } from "../values/json.js";
import { deref } from "./openapi.js";

/** So many parts of a schema are written out; beyond them, and where a schema holds itself, it stays open. */
const mostParts = 2_000;
const deepest = 12;

/** A schema of a document with its references written out, for showing and for forms. */
export function inlinedSchema(document: JsonObject, schema: JsonObject): JsonObject {
  let left = mostParts;
  const inline = (part: Json, within: readonly Json[]): Json => {
    if (Array.isArray(part)) return part.map((item) => inline(item, within));
    if (!isObject(part)) return part;
    const found = deref(document, part);
    if (!isObject(found) || within.includes(found) || within.length > deepest || --left < 0)
      return typeof part["$ref"] === "string" ? { title: part["$ref"].split("/").at(-1) ?? "" } : {};
    const { $ref: _ref, ...beside } = part;
    const whole = found === part ? part : { ...found, ...beside };
    return Object.fromEntries(
      Object.entries(whole).map(([key, value]) => [
        key,
        dataKeys.has(key) ? value : inline(value, [...within, found]),
      ]),
    );
  };
  return inline(schema, []) as JsonObject;
}

/** Keywords that hold data, in which nothing is a reference. */
const dataKeys = new Set(["default", "example", "examples", "enum", "const"]);
