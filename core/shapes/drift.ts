import { Exact, isObject, own, type Json, type JsonObject } from "../values/json.js";

/** Where a response does not match its schema. */
export interface Mismatch {
  /** The place, list indexes left out: `items[].warden.name`. The whole body is the empty text. */
  path: string;
  what: "new-field" | "missing-field" | "other-kind" | "null";
  /** In plain words. */
  detail: string;
}

/** Follows a reference; undefined if it leads nowhere. */
export type Follow = (schema: Json | undefined) => Json | undefined;

/** So many values of one response are looked at; the rest is taken as the same. */
const mostLookedAt = 5_000;
const mostDepartures = 50;
const deepestMerge = 8;

/** The places where a value does not match a shape; empty if it fits. Each place and kind is reported once. */
export type ShapeCheck = (value: Json) => Mismatch[];

/** A part of a shape, made ready when it is first met. */
interface Part {
  schema: Json;
  variants: Variant[] | undefined;
}

/** One alternative of a shape, with all that `allOf` and references add to it. */
interface Variant {
  types: Set<string> | undefined;
  /** The same, a bit for each type. */
  mask: number;
  properties: Map<string, Part>;
  required: Set<string>;
  /** Whether fields that are not described are welcome, and what they look like. */
  others: Part | undefined;
  open: boolean;
  items: Part | undefined;
}

interface Looking {
  left: number;
  /** The keys from the top to where it looks; `depth` says how many of them hold. */
  at: string[];
  depth: number;
  found: Map<string, Mismatch>;
}

/**
 * Makes a check of a shape (JSON Schema 2020-12, the parts that OpenAPI documents use: types, properties, items,
 * `allOf`, `anyOf`, `oneOf`, references). Each part of the shape is made ready once, when first met.
 */
export function shapeCheck(schema: Json, follow: Follow = (one) => one): ShapeCheck {
  const ready = new Map<Json, Variant[]>();
  const variantsOf = (part: Json | undefined): Variant[] => {
    if (part === undefined || typeof part !== "object" || part === null) return [];
    let variants = ready.get(part);
    if (!variants) {
      variants = expand([part], follow, deepestMerge);
      ready.set(part, variants);
    }
    return variants;
  };

  const look = (value: Json, part: Part, looking: Looking): void => {
    if (--looking.left < 0) return;
    const variants = (part.variants ??= variantsOf(part.schema));
    const [only] = variants;
    if (only === undefined) return;
    if (variants.length === 1) return compare(value, only, looking);
    let best: Looking | undefined;
    for (const variant of variants) {
      const { left, at, depth } = looking;
      const attempt: Looking = { left, at, depth, found: new Map() };
      compare(value, variant, attempt);
      if (attempt.found.size === 0) {
        looking.left = attempt.left;
        return;
      }
      if (!best || attempt.found.size < best.found.size) best = attempt;
    }
    if (!best) return;
    looking.left = best.left;
    for (const [key, departure] of best.found) looking.found.set(key, departure);
  };

  const compare = (value: Json, variant: Variant, looking: Looking): void => {
    const { types, mask } = variant;
    const bit = bitOf(value);
    if (types && (bit & mask) === 0) {
      const said = [...types].join(" or ");
      if (value === null) note(looking, "null", `it is null, but the schema says ${said}`);
      else note(looking, "other-kind", `it is of type ${typeOf(value)}, but the schema says ${said}`);
      return;
    }
    if (bit === bits.array) {
      if (variant.items === undefined) return;
      looking.at[looking.depth++] = "[]";
      for (const item of value as Json[]) {
        if (looking.left < 0) break;
        look(item, variant.items, looking);
      }
      looking.depth--;
    } else if (bit === bits.object) fields(value as JsonObject, variant, looking);
  };

  const fields = (value: JsonObject, variant: Variant, looking: Looking): void => {
    const { properties, required, others, open } = variant;
    const place = looking.depth++;
    let wanted = required.size;
    for (const key in value) {
      if (looking.left < 0) break;
      if (wanted > 0 && required.has(key)) wanted--;
      const described = properties.get(key);
      if (described === undefined && open && others === undefined) continue;
      looking.at[place] = key;
      if (described !== undefined) look(value[key] as Json, described, looking);
      else if (others !== undefined) look(value[key] as Json, others, looking);
      else note(looking, "new-field", `it is not in the schema; it is of type ${typeOf(value[key] as Json)}`);
    }
    if (wanted > 0 && looking.left >= 0) {
      for (const key of required) {
        if (own(value, key) !== undefined) continue;
        looking.at[place] = key;
        note(looking, "missing-field", "the schema requires it, but it is missing");
      }
    }
    looking.depth = place;
  };

  const whole = partOf(schema);
  return (value) => {
    const looking: Looking = { left: mostLookedAt, at: [], depth: 0, found: new Map() };
    look(value, whole, looking);
    return [...looking.found.values()];
  };
}

function note(looking: Looking, what: Mismatch["what"], detail: string): void {
  if (looking.found.size >= mostDepartures) return;
  const path = looking.at
    .slice(0, looking.depth)
    .reduce(
      (text, part) =>
        part === "[]" ? `${text}[]` : text === "" ? fieldName(part) : `${text}.${fieldName(part)}`,
      "",
    );
  const key = `${what} ${path}`;
  if (!looking.found.has(key)) looking.found.set(key, { path, what, detail });
}

function fieldName(key: string): string {
  return /^[A-Za-z_$][\w$-]*$/.test(key) ? key : JSON.stringify(key.slice(0, 100));
}

/** The types of JSON Schema as bits. */
const bits = { null: 1, boolean: 2, integer: 4, number: 8, string: 16, array: 32, object: 64 } as Record<
  string,
  number
> & {
  null: number;
  boolean: number;
  integer: number;
  number: number;
  string: number;
  array: number;
  object: number;
};

function bitOf(value: Json): number {
  switch (typeof value) {
    case "string":
      return bits.string;
    case "number":
      return Number.isInteger(value) ? bits.integer : bits.number;
    case "boolean":
      return bits.boolean;
    default:
      if (value === null) return bits.null;
      if (Array.isArray(value)) return bits.array;
      return value instanceof Exact ? (bits[typeOf(value)] as number) : bits.object;
  }
}

/** The type of a value, in the words of JSON Schema. */
function typeOf(value: Json): string {
  if (value === null) return "null";
  if (Array.isArray(value)) return "array";
  if (typeof value === "number") return Number.isInteger(value) ? "integer" : "number";
  if (value instanceof Exact) return /^-?\d+$/.test(value.digits) ? "integer" : "number";
  return typeof value === "object" ? "object" : typeof value;
}

/** Takes parts that hold together into alternatives; none where nothing is said. */
function expand(parts: Json[], follow: Follow, depth: number): Variant[] {
  const flat = flatten(parts, follow, depth);
  const choice = flat.find((part) => choicesOf(part) !== undefined);
  if (choice && depth > 0) {
    const { anyOf: _any, oneOf: _one, ...rest } = choice;
    const others = flat.filter((part) => part !== choice);
    return (choicesOf(choice) as Json[]).flatMap((option) =>
      expand([rest, option, ...others], follow, depth - 1),
    );
  }
  return flat.length === 0 ? [] : [merged(flat)];
}

function choicesOf(part: JsonObject): Json[] | undefined {
  const choices = own(part, "anyOf") ?? own(part, "oneOf");
  return Array.isArray(choices) && choices.length > 0 ? choices : undefined;
}

/** Parts with their references followed and their `allOf` beside them. */
function flatten(parts: Json[], follow: Follow, depth: number): JsonObject[] {
  return parts.flatMap((part) => {
    const found = follow(part);
    if (!isObject(found)) return [];
    const beside = isObject(part) && found !== part ? withoutRef(part) : [];
    const all = own(found, "allOf");
    const inner = Array.isArray(all) && depth > 0 ? flatten(all, follow, depth - 1) : [];
    return [found, ...beside, ...inner];
  });
}

/** What stands beside a reference holds too (JSON Schema 2020-12, section 8.2.3). */
function withoutRef(part: JsonObject): JsonObject[] {
  const { $ref: _ref, ...rest } = part;
  return Object.keys(rest).length > 0 ? [rest] : [];
}

function partOf(schema: Json): Part {
  return { schema, variants: undefined };
}

function merged(parts: JsonObject[]): Variant {
  const variant: Variant = {
    types: undefined,
    mask: 0,
    properties: new Map(),
    required: new Set(),
    others: undefined,
    open: false,
    items: undefined,
  };
  for (const part of parts) {
    const types = typesOf(part);
    if (types) {
      const before = variant.types;
      variant.types = before ? new Set([...before].filter((type) => fits(type, types))) : types;
    }
    const properties = own(part, "properties");
    if (isObject(properties))
      for (const [key, value] of Object.entries(properties)) variant.properties.set(key, partOf(value));
    const required = own(part, "required");
    if (Array.isArray(required)) for (const key of required) variant.required.add(String(key));
    const others = own(part, "additionalProperties") ?? own(part, "patternProperties");
    if (others === true) variant.open = true;
    else if (isObject(others)) {
      variant.open = true;
      if (own(part, "patternProperties") === undefined) variant.others = partOf(others);
    }
    const items = own(part, "items");
    if (items !== undefined) variant.items ??= partOf(items);
  }
  for (const type of variant.types ?? []) variant.mask |= bits[type] ?? 0;
  if (variant.types?.has("number")) variant.mask |= bits.integer;
  // A shape that describes no field at all says nothing of them.
  if (variant.properties.size === 0) variant.open = true;
  return variant;
}

function fits(type: string, types: Set<string>): boolean {
  return types.has(type) || (type === "integer" && types.has("number"));
}

function typesOf(part: JsonObject): Set<string> | undefined {
  const type = own(part, "type");
  if (typeof type === "string") return new Set([type]);
  return Array.isArray(type) ? new Set(type.map(String)) : undefined;
}
