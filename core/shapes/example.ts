import { isObject, own, setOwn, type Json, type JsonObject } from "../values/json.js";

const deepest = 8;
/** So many shapes of one schema are looked at, and so deep where they only name others. */
const [mostShapes, deepestNamed] = [10_000, 100];
/** The longest text that stands for one of a least length, in characters. */
const longestText = 1_000;

type Deref = (part: JsonObject) => Json | undefined;

/** What is left to look at: a document of few lines may name the same shapes a billion times. */
interface Left {
  shapes: number;
}

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
export function exampleOf(schema: JsonObject, deref: Deref): Json {
  return example(schema, deref, 0, { shapes: mostShapes });
}

function example(schema: JsonObject, deref: Deref, depth: number, left: Left): Json {
  if (left.shapes-- <= 0 || depth > deepestNamed) return null;
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
    if (isObject(first)) return example(first, deref, depth + 1, left);
  }
  const all = part["allOf"];
  if (Array.isArray(all)) {
    const parts = all.filter(isObject).map((one) => example(one, deref, depth + 1, left));
    if (parts.every(isObject))
      return Object.assign({}, ...parts, ownFields(part, deref, depth, left)) as JsonObject;
    return parts[0] ?? null;
  }
  return ofType(part, deref, depth, left);
}

function ofType(part: JsonObject, deref: Deref, depth: number, left: Left): Json {
  const { type: given } = part;
  const type = Array.isArray(given) ? given.find((one) => one !== "null") : given;
  switch (type ?? (isObject(part["properties"]) ? "object" : part["items"] ? "array" : undefined)) {
    case "object":
      return ownFields(part, deref, depth, left);
    case "array":
      return depth < deepest && isObject(part["items"])
        ? [example(part["items"], deref, depth + 1, left)]
        : [];
    case "string":
      return (
        texts[String(part["format"])] ??
        "text".padEnd(Math.min(Number(part["minLength"] ?? 0), longestText), "-")
      );
    case "integer":
    case "number":
      return Number(part["minimum"] ?? 1);
    case "boolean":
      return true;
    default:
      return null;
  }
}

function ownFields(part: JsonObject, deref: Deref, depth: number, left: Left): JsonObject {
  const fields: JsonObject = {};
  const { properties } = part;
  if (!isObject(properties) || depth >= deepest) return fields;
  for (const name of Object.keys(properties)) {
    const schema = own(properties, name);
    if (isObject(schema)) setOwn(fields, name, example(schema, deref, depth + 1, left));
  }
  return fields;
}
