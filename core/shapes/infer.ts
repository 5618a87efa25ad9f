import { Exact, isObject, setOwn, type Json, type JsonObject } from "../values/json.js";
import { formatOf, type NoticedFormat } from "./formats.js";

/** Beyond so many different fields an object is taken as a map from keys to values of one shape. */
const mostFields = 200;

/** What was seen at one place of the samples. */
class Seen {
  nulls = 0;
  booleans = 0;
  integers = 0;
  numbers = 0;
  texts = 0;
  /** The format that all texts had so far; null if they had none, or different ones. */
  format: NoticedFormat | null | undefined;
  lists = 0;
  items: Seen | undefined;
  objects = 0;
  fields: Map<string, Seen> | undefined;
  /** What all fields together look like, once they are too many to be told apart. */
  values: Seen | undefined;

  add(value: Json): void {
    if (value === null) this.nulls++;
    else if (typeof value === "string") this.#text(value);
    else if (typeof value === "number") {
      if (Number.isInteger(value)) this.integers++;
      else this.numbers++;
    } else if (typeof value === "boolean") this.booleans++;
    else if (value instanceof Exact) {
      if (/^-?\d+$/.test(value.digits)) this.integers++;
      else this.numbers++;
    } else if (Array.isArray(value)) {
      this.lists++;
      this.items ??= new Seen();
      for (const item of value) this.items.add(item);
    } else this.#object(value);
  }

  #text(value: string): void {
    this.texts++;
    if (this.format === null) return;
    const format = formatOf(value) ?? null;
    this.format = this.format === undefined || this.format === format ? format : null;
  }

  #object(value: JsonObject): void {
    this.objects++;
    this.fields ??= new Map();
    for (const key in value) {
      if (!Object.prototype.hasOwnProperty.call(value, key)) continue;
      if (this.values) {
        this.values.add(value[key] as Json);
        continue;
      }
      let field = this.fields.get(key);
      if (!field) {
        field = new Seen();
        this.fields.set(key, field);
      }
      field.add(value[key] as Json);
    }
    if (!this.values && this.fields.size > mostFields) {
      this.values = new Seen();
      for (const field of this.fields.values()) this.values.merge(field);
      this.fields.clear();
    }
  }

  merge(other: Seen): void {
    for (const key of ["nulls", "booleans", "integers", "numbers", "texts", "lists", "objects"] as const)
      this[key] += other[key];
    if (other.format !== undefined)
      this.format = this.format === undefined || this.format === other.format ? other.format : null;
    if (other.items) (this.items ??= new Seen()).merge(other.items);
    if (other.values) (this.values ??= new Seen()).merge(other.values);
    if (other.fields) {
      this.fields ??= new Map();
      for (const [key, field] of other.fields) {
        const mine = this.fields.get(key) ?? new Seen();
        mine.merge(field);
        this.fields.set(key, mine);
      }
    }
    if (this.values && this.fields && this.fields.size > 0) {
      for (const field of this.fields.values()) this.values.merge(field);
      this.fields.clear();
    }
  }

  get total(): number {
    return this.nulls + this.booleans + this.integers + this.numbers + this.texts + this.lists + this.objects;
  }

  schema(): JsonObject {
    const kinds: JsonObject[] = [];
    if (this.booleans > 0) kinds.push({ type: "boolean" });
    if (this.numbers > 0) kinds.push({ type: "number" });
    else if (this.integers > 0) kinds.push({ type: "integer" });
    if (this.texts > 0) kinds.push({ type: "string", ...(this.format ? { format: this.format } : {}) });
    if (this.lists > 0) kinds.push({ type: "array", items: this.items?.schema() ?? {} });
    if (this.objects > 0) kinds.push(this.#objectSchema());
    const [only] = kinds;
    if (!only) return this.nulls > 0 ? { type: "null" } : {};
    if (kinds.length > 1) return { anyOf: [...kinds, ...(this.nulls > 0 ? [{ type: "null" }] : [])] };
    return this.nulls > 0 ? { ...only, type: [only["type"] as string, "null"] } : only;
  }

  #objectSchema(): JsonObject {
    if (this.values) return { type: "object", additionalProperties: this.values.schema() };
    const properties: JsonObject = {};
    const required: string[] = [];
    for (const [key, field] of this.fields ?? []) {
      setOwn(properties, key, field.schema());
      if (field.total === this.objects) required.push(key);
    }
    return { type: "object", properties, ...(required.length > 0 ? { required } : {}) };
  }
}

/**
 * The shape of samples, as JSON Schema 2020-12: every sample validates against it. A field that was absent in some is
 * not required, one that was null may be null, mixed kinds become `anyOf`; an empty list leaves its items open.
 */
export function inferShape(samples: Iterable<Json>): JsonObject {
  const seen = new Seen();
  for (const sample of samples) seen.add(sample);
  return seen.schema();
}

/** Whether a schema says anything about a value. */
export function saysSomething(schema: Json | undefined): schema is JsonObject {
  return isObject(schema) && Object.keys(schema).length > 0;
}
