import { isObject, type Json, type JsonObject } from "@copper-kettle/core";

/**
 * An OpenAPI 3.0 document as 3.1: `nullable` becomes a type, exclusive bounds become numbers, an `example` of a schema
 * becomes `examples`. The rest is the same in both.
 */
export function upgraded(document: JsonObject): JsonObject {
  return { ...(walk(document, false, "") as JsonObject), openapi: "3.1.1" };
}

/** The keys whose values are schemas, or maps and lists of schemas; what is below them is read as a schema. */
const schemaKeys = new Set(["schema", "items", "not", "additionalProperties"]);
const schemaMaps = new Set(["properties", "schemas", "patternProperties"]);
const schemaLists = new Set(["allOf", "anyOf", "oneOf"]);

function walk(value: Json, isSchema: boolean, key: string): Json {
  if (Array.isArray(value)) return value.map((item) => walk(item, isSchema || schemaLists.has(key), ""));
  if (!isObject(value)) return value;
  const copy: JsonObject = {};
  for (const [name, inner] of Object.entries(value)) {
    // Examples and extensions are data: what looks like a schema in them is none.
    if (
      name === "example" ||
      name === "examples" ||
      name === "default" ||
      name === "enum" ||
      name.startsWith("x-")
    ) {
      copy[name] = inner;
      continue;
    }
    const below = schemaKeys.has(name) || (isSchema && schemaLists.has(name));
    copy[name] =
      schemaMaps.has(name) && isObject(inner)
        ? Object.fromEntries(
            Object.entries(inner).map(([entry, schema]) => [entry, walk(schema, true, entry)]),
          )
        : walk(inner, below, name);
  }
  return isSchema ? schema31(copy) : copy;
}

function schema31(schema: JsonObject): JsonObject {
  const changed = { ...schema };
  if (changed["nullable"] === true) {
    if (typeof changed["type"] === "string") changed["type"] = [changed["type"], "null"];
    if (Array.isArray(changed["enum"]) && !changed["enum"].includes(null))
      changed["enum"] = [...changed["enum"], null];
  }
  delete changed["nullable"];
  for (const [bound, exclusive] of [
    ["minimum", "exclusiveMinimum"],
    ["maximum", "exclusiveMaximum"],
  ] as const) {
    if (changed[exclusive] === true) {
      changed[exclusive] = changed[bound] as Json;
      delete changed[bound];
    } else if (changed[exclusive] === false) delete changed[exclusive];
  }
  if (changed["example"] !== undefined) {
    changed["examples"] = [changed["example"]];
    delete changed["example"];
  }
  return changed;
}
