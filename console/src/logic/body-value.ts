import {
  Exact,
  isObject,
  numberFromDigits,
  own,
  setOwn,
  type Json,
  type JsonObject,
} from "@copper-kettle/core";

/** The kinds that a value of a form can have. */
export const kinds = ["text", "number", "yes or no", "null", "list", "object"] as const;
export type Kind = (typeof kinds)[number];

export function kindOfValue(value: Json): Kind {
  if (value === null) return "null";
  if (typeof value === "string") return "text";
  if (typeof value === "boolean") return "yes or no";
  if (typeof value === "number" || value instanceof Exact) return "number";
  return Array.isArray(value) ? "list" : "object";
}

/** A value that a new field of some kind begins with. */
export function emptyOf(kind: Kind): Json {
  const empties: Record<Kind, Json> = {
    text: "",
    number: 0,
    "yes or no": false,
    null: null,
    list: [],
    object: {},
  };
  return empties[kind];
}

/** An object with one field changed or, at its end, added; the order of the others stays. */
export function withField(object: JsonObject, key: string, value: Json): JsonObject {
  const copy: JsonObject = {};
  for (const name of Object.keys(object)) setOwn(copy, name, own(object, name) as Json);
  setOwn(copy, key, value);
  return copy;
}

export function withoutField(object: JsonObject, key: string): JsonObject {
  const copy: JsonObject = {};
  for (const name of Object.keys(object)) if (name !== key) setOwn(copy, name, own(object, name) as Json);
  return copy;
}

/** A number as it is typed, with all its digits; undefined if it is none (yet). */
export function typedNumber(text: string): number | Exact | undefined {
  return /^-?(0|[1-9]\d*)(\.\d+)?([eE][+-]?\d+)?$/.test(text.trim())
    ? numberFromDigits(text.trim())
    : undefined;
}

function typeOf(schema: JsonObject): string | undefined {
  const { type } = schema;
  return Array.isArray(type)
    ? String(type.find((one) => one !== "null") ?? "null")
    : (type as string | undefined);
}

/** The part of a schema that describes a value: of several alternatives the one that fits it best. */
export function schemaFor(schema: Json | undefined, value: Json): JsonObject {
  if (!isObject(schema)) return {};
  const choices = schema["anyOf"] ?? schema["oneOf"];
  if (Array.isArray(choices)) {
    const wanted = {
      text: "string",
      number: "number",
      "yes or no": "boolean",
      null: "null",
      list: "array",
      object: "object",
    };
    const kind = wanted[kindOfValue(value)];
    const fit = choices.find(
      (one) => isObject(one) && (typeOf(one) === kind || (kind === "number" && typeOf(one) === "integer")),
    );
    return isObject(fit) ? { ...schema, ...fit } : schema;
  }
  const all = schema["allOf"];
  if (!Array.isArray(all)) return schema;
  const parts = [...all.filter(isObject), schema];
  const properties = Object.assign({}, ...parts.map((part) => part["properties"] ?? {})) as JsonObject;
  const required = parts.flatMap((part) => (Array.isArray(part["required"]) ? part["required"] : []));
  return { ...(Object.assign({}, ...parts) as JsonObject), properties, required: [...new Set(required)] };
}

/** Whether a field is fixed by its schema: the service sends it, and nobody is asked for it. */
export function isFixed(schema: Json | undefined): boolean {
  return isObject(schema) && schema["const"] !== undefined;
}

/** The fields that a schema describes, that people may set, and that an object does not have yet. */
export function missingFields(schema: JsonObject, value: JsonObject): string[] {
  const properties = schema["properties"];
  if (!isObject(properties)) return [];
  return Object.keys(properties).filter(
    (key) => own(value, key) === undefined && !isFixed(own(properties, key)),
  );
}

/** What a body begins with: an example, or what its schema wants at least. */
export function skeleton(schema: Json | undefined, depth = 0): Json {
  if (!isObject(schema) || depth > 5) return null;
  const { default: preset, enum: choices, example, examples } = schema;
  const given =
    preset ??
    example ??
    (Array.isArray(choices) ? choices[0] : undefined) ??
    (Array.isArray(examples) ? examples[0] : undefined);
  if (given !== undefined) return given;
  const inner = schemaFor(schema, {});
  switch (typeOf(inner)) {
    case "string":
      return "";
    case "integer":
    case "number":
      return 0;
    case "boolean":
      return false;
    case "array":
      return [];
    case "null":
      return null;
  }
  const properties = inner["properties"];
  if (!isObject(properties)) return typeOf(inner) === "object" ? {} : null;
  const required = Array.isArray(inner["required"]) ? inner["required"].map(String) : [];
  const made: JsonObject = {};
  for (const key of required.filter((one) => !isFixed(own(properties, one))))
    setOwn(made, key, skeleton(own(properties, key), depth + 1));
  return made;
}
