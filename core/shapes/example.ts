import { isObject, own, setOwn, type Json, type JsonObject } from "../values/json.js";

const deepest = 8;

/** Texts that fit the formats of JSON Schema (2020-12, validation section 7.3). */
const texts: Record<string, string> = {
  "date-time": "2027-03-01T05:00:00Z",
  date: "2027-03-01",
  time: "05:00:00Z",
  duration: "PT20M",
  email: "marit@huts.example",
  uri: "https://huts.example/",
  uuid: "3f0c1a52-7d0a-4f3e-9b1c-5a0e8d6c2b41",
};

/**
 * A value of the shape that a schema gives: its example, default or first choice where it has one, else the plainest
 * that fits. Not every schema can be met so; the value is for people and rehearsals, not for proofs.
 * @param deref follows a reference of the schema's document
 */
export function exampleOf(
  schema: JsonObject,
  deref: (part: JsonObject) => Json | undefined,
  depth = 0,
): Json {
  const found = deref(schema);
  const part = isObject(found) ? found : schema;
  const examples = part["examples"];
  for (const told of [
    part["example"],
    Array.isArray(examples) ? examples[0] : undefined,
    part["default"],
    part["const"],
  ])
    if (told !== undefined) return told;
  const choices = part["enum"];
  if (Array.isArray(choices) && choices.length > 0) return choices[0] as Json;
  for (const key of ["oneOf", "anyOf"]) {
    const [first] = Array.isArray(part[key]) ? part[key] : [];
    if (isObject(first)) return exampleOf(first, deref, depth + 1);
  }
  const all = part["allOf"];
  if (Array.isArray(all)) {
    const parts = all.filter(isObject).map((one) => exampleOf(one, deref, depth + 1));
    if (parts.every(isObject))
      return Object.assign({}, ...parts, ownFields(part, deref, depth)) as JsonObject;
    return parts[0] ?? null;
  }
  return ofType(part, deref, depth);
}

function ofType(part: JsonObject, deref: (part: JsonObject) => Json | undefined, depth: number): Json {
  const { type: given } = part;
  const type = Array.isArray(given) ? given.find((one) => one !== "null") : given;
  switch (type ?? (isObject(part["properties"]) ? "object" : part["items"] ? "array" : undefined)) {
    case "object":
      return ownFields(part, deref, depth);
    case "array":
      return depth < deepest && isObject(part["items"]) ? [exampleOf(part["items"], deref, depth + 1)] : [];
    case "string":
      return texts[String(part["format"])] ?? "text".padEnd(Number(part["minLength"] ?? 0), "-");
    case "integer":
    case "number":
      return Number(part["minimum"] ?? 1);
    case "boolean":
      return true;
    default:
      return null;
  }
}

function ownFields(
  part: JsonObject,
  deref: (part: JsonObject) => Json | undefined,
  depth: number,
): JsonObject {
  const fields: JsonObject = {};
  const { properties } = part;
  if (!isObject(properties) || depth >= deepest) return fields;
  for (const name of Object.keys(properties)) {
    const schema = own(properties, name);
    if (isObject(schema)) setOwn(fields, name, exampleOf(schema, deref, depth + 1));
  }
  return fields;
}
