import type { Kind } from "../expressions/values.js";
import { isObject, own, type Json, type JsonObject } from "../values/json.js";
import type { Follow } from "./drift.js";

/** What is known of a value before anything runs. */
export interface Shape {
  /** The kinds that it can have besides null; undefined if nobody knows. */
  kinds: readonly Kind[] | undefined;
  /** Whether it was seen null, or may be by its schema. */
  nullable: boolean;
  fields?: Fields | undefined;
  /** The shape of the items of a list. */
  items?: (() => Shape) | undefined;
  /** All values that it can have, where they are few. */
  choices?: readonly Json[] | undefined;
  /** One that its schema shows. */
  example?: Json | undefined;
}

/** The fields of an object. */
export interface Fields {
  names(): string[];
  /** Undefined if the object is not known to have it; `sure` is false if it may be absent. */
  get(name: string): { shape: Shape; sure: boolean } | undefined;
  /** Whether it may have fields besides those that are known. */
  open: boolean;
}

export const anything: Shape = { kinds: undefined, nullable: false };

export function ofKind(kind: Kind | "any", more: Partial<Shape> = {}): Shape {
  return kind === "any"
    ? anything
    : kind === "null"
      ? { kinds: [], nullable: true }
      : { kinds: [kind], nullable: false, ...more };
}

export function listOf(items: () => Shape): Shape {
  return ofKind("list", { items });
}

/** An object with these fields and no others; all of them are there but those that `unsure` names. */
export function objectOf(fields: Record<string, Shape>, { unsure = [] as readonly string[] } = {}): Shape {
  return ofKind("object", {
    fields: {
      names: () => Object.keys(fields),
      get: (name) =>
        Object.prototype.hasOwnProperty.call(fields, name)
          ? { shape: fields[name] as Shape, sure: !unsure.includes(name) }
          : undefined,
      open: false,
    },
  });
}

/** The shape of a known value. */
export function ofValue(value: Json): Shape {
  if (value === null) return ofKind("null");
  if (Array.isArray(value)) return listOf(() => union(value.slice(0, 50).map(ofValue)));
  if (isObject(value))
    return objectOf(Object.fromEntries(Object.entries(value).map(([key, inner]) => [key, ofValue(inner)])));
  const kind = typeof value === "string" ? "text" : typeof value === "boolean" ? "boolean" : "number";
  return ofKind(kind, { choices: [value] });
}

/** What a value is that is one of several. */
export function union(shapes: readonly Shape[]): Shape {
  const [first, ...rest] = shapes;
  if (!first) return anything;
  if (rest.length === 0) return first;
  const known = shapes.every(({ kinds }) => kinds !== undefined);
  const objects = shapes.filter(({ fields }) => fields);
  const lists = shapes.filter(({ items }) => items);
  const kinds = known ? [...new Set(shapes.flatMap((one) => one.kinds ?? []))] : undefined;
  const choices = shapes.every((one) => one.choices) ? shapes.flatMap((one) => one.choices ?? []) : undefined;
  return {
    kinds,
    nullable: shapes.some(({ nullable }) => nullable),
    ...(objects.length > 0 ? { fields: unionFields(shapes) } : {}),
    ...(lists.length > 0 ? { items: () => union(lists.map(({ items }) => items?.() ?? anything)) } : {}),
    ...(choices && choices.length <= 30 ? { choices } : {}),
  };
}

/** A field of one of several objects: sure only where each has it. What is not an object does not count. */
function unionFields(shapes: readonly Shape[]): Fields {
  const objects = shapes.flatMap(({ fields, kinds }) =>
    fields ? [fields] : kinds === undefined || kinds.includes("object") ? [unknownFields] : [],
  );
  return {
    names: () => [...new Set(objects.flatMap((fields) => fields.names()))],
    get(name) {
      const found = objects.map((fields) => fields.get(name));
      const some = found.filter((one) => one !== undefined);
      if (some.length === 0) return undefined;
      return {
        shape: union(some.map(({ shape }) => shape)),
        sure: some.length === found.length && some.every(({ sure }) => sure),
      };
    },
    open: objects.some(({ open }) => open),
  };
}

const unknownFields: Fields = { names: () => [], get: () => undefined, open: true };

/** The shape without null. */
export function withoutNull(shape: Shape): Shape {
  return shape.nullable ? { ...shape, nullable: false } : shape;
}

const kindOfType: Record<string, Kind> = {
  string: "text",
  integer: "number",
  number: "number",
  boolean: "boolean",
  array: "list",
  object: "object",
};
const deepestMerge = 6;

/**
 * The shape that a JSON Schema says (2020-12). Fields that it does not require may be absent only where it was inferred
 * from samples: documents often leave out what is always there.
 */
export function ofSchema(
  schema: Json | undefined,
  follow: Follow = (one) => one,
  depth = deepestMerge,
): Shape {
  const found = follow(schema);
  if (!isObject(found)) return anything;
  const choices = own(found, "anyOf") ?? own(found, "oneOf");
  const all = own(found, "allOf");
  if (depth > 0 && Array.isArray(choices)) {
    const { anyOf: _any, oneOf: _one, ...rest } = found;
    const beside = Object.keys(rest).some((key) => shaping.has(key));
    return union(
      choices.map((one) =>
        beside ? merged([rest, one], follow, depth - 1) : ofSchema(one, follow, depth - 1),
      ),
    );
  }
  if (depth > 0 && Array.isArray(all)) {
    const { allOf: _all, ...rest } = found;
    return merged([rest, ...all], follow, depth - 1);
  }
  return plain(found, follow);
}

const shaping = new Set(["type", "properties", "items", "required", "additionalProperties", "enum"]);

/** Several schemas that hold together, as one. */
function merged(parts: Json[], follow: Follow, depth: number): Shape {
  const whole: JsonObject = {};
  for (const part of parts) {
    const found = follow(part);
    if (!isObject(found)) continue;
    for (const [key, value] of Object.entries(found)) {
      const before = whole[key];
      if (key === "properties" && isObject(before) && isObject(value)) whole[key] = { ...before, ...value };
      else if (key === "required" && Array.isArray(before) && Array.isArray(value))
        whole[key] = [...before, ...value];
      else if (key === "allOf" && Array.isArray(before) && Array.isArray(value))
        whole[key] = [...before, ...value];
      else whole[key] = value;
    }
  }
  return ofSchema(whole, (one) => (one === whole ? whole : follow(one)), depth);
}

function plain(schema: JsonObject, follow: Follow): Shape {
  const given = [own(schema, "type") ?? []].flat().map(String);
  const properties = own(schema, "properties");
  const only = own(schema, "const");
  const listed = own(schema, "enum");
  const choices = only !== undefined ? [only] : Array.isArray(listed) ? listed : undefined;
  const types =
    given.length > 0
      ? given
      : isObject(properties)
        ? ["object"]
        : own(schema, "items") !== undefined
          ? ["array"]
          : [];
  const listedExamples = own(schema, "examples");
  const example =
    own(schema, "example") ??
    (Array.isArray(listedExamples) ? listedExamples[0] : undefined) ??
    own(schema, "default");
  if (types.length === 0) return choices ? union(choices.map(ofValue)) : anything;
  const kinds = [...new Set(types.flatMap((type) => kindOfType[type] ?? []))];
  const nullable = types.includes("null") || (choices?.includes(null) ?? false);
  return {
    kinds,
    nullable,
    ...(kinds.includes("object") ? { fields: fieldsOf(schema, follow) } : {}),
    ...(kinds.includes("list") ? { items: () => ofSchema(own(schema, "items"), follow) } : {}),
    ...(choices ? { choices: choices.filter((one) => one !== null) } : {}),
    ...(example === undefined ? {} : { example }),
  };
}

function fieldsOf(schema: JsonObject, follow: Follow): Fields {
  const properties = own(schema, "properties");
  const required = own(schema, "required");
  const others = own(schema, "additionalProperties");
  const known = isObject(properties) ? properties : {};
  const wanted = new Set(Array.isArray(required) ? required.map(String) : []);
  const inferred = wanted.size > 0 || own(schema, "x-ckettle-inferred") === true;
  return {
    names: () => Object.keys(known),
    get(name) {
      const found = own(known, name);
      if (found !== undefined) return { shape: ofSchema(found, follow), sure: !inferred || wanted.has(name) };
      return isObject(others) ? { shape: ofSchema(others, follow), sure: false } : undefined;
    },
    open:
      Object.keys(known).length === 0 ||
      others === true ||
      isObject(others) ||
      own(schema, "patternProperties") !== undefined,
  };
}
