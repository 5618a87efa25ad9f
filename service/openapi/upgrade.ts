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
    if (isData(name, isSchema)) {
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

/**
 * Whether a key holds data, in which what looks like a schema or a reference is none: examples, extensions, and in a schema
 * its default and its choices. A response may be called `default`.
 */
export function isData(key: string, inSchema: boolean): boolean {
  return (
    key === "example" ||
    key === "examples" ||
    (inSchema && (key === "default" || key === "enum" || key === "const")) ||
    key.startsWith("x-")
  );
}

/** `nullable` of 3.0 as a type of its own: beside the others, or beside what the schema is put together from. */
function withNull(schema: JsonObject): JsonObject {
  const { nullable, ...rest } = schema;
  if (nullable !== true) return rest;
  if (Array.isArray(rest["enum"]) && !rest["enum"].includes(null)) rest["enum"] = [...rest["enum"], null];
  if (typeof rest["type"] === "string") return { ...rest, type: [rest["type"], "null"] };
  for (const key of ["oneOf", "anyOf"] as const)
    if (Array.isArray(rest[key])) return { ...rest, [key]: [...rest[key], { type: "null" }] };
  const { allOf, $ref, ...beside } = rest;
  if (allOf === undefined && $ref === undefined) return rest;
  const whole: JsonObject = allOf === undefined ? { $ref: $ref as Json } : { allOf };
  return { ...beside, anyOf: [whole, { type: "null" }] };
}

function schema31(schema: JsonObject): JsonObject {
  const changed = withNull(schema);
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
