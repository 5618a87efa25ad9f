import { briefJson } from "../values/brief.js";
import { isObject, own, type Json, type JsonObject } from "../values/json.js";

/** One field that a schema describes, for people. */
export interface SchemaField {
  /** Its name; of what a list holds `each`, of the whole value `value`. */
  name: string;
  /** How deep it stands: the fields of the value itself have 0. */
  depth: number;
  /** Its kinds in words: `text (e-mail)`, `list of objects`, `number or null`. */
  kind: string;
  required: boolean;
  /** Its title, what is said about it, and its rules, in a few sentences. */
  note: string;
}

/** So many fields are listed of one schema, and so deep. */
export const listedFields = { most: 500, depth: 12 };

/**
 * The fields that a JSON Schema (2020-12) describes, in its order, those within a field right behind it. What `allOf` joins
 * is joined; of alternatives the fields of all are listed, and none is required that some lack.
 */
export function schemaFields(schema: Json | undefined): SchemaField[] {
  const listing = new Listing();
  listing.list(schema);
  return listing.fields;
}

/** So many kinds of one field are named, and so many characters of what is said about it are shown. */
const [mostKinds, longestNote] = [8, 1_000];

class Listing {
  readonly fields: SchemaField[] = [];
  /** Schemas that are looked at: `allOf` within `allOf` grows beyond what is listed. */
  #left = 20 * listedFields.most;

  list(schema: Json | undefined): void {
    const whole = this.#whole(schema);
    if (whole.properties.size > 0) this.#properties(whole, 0);
    else if (whole.items !== undefined) this.#field("each", whole.items, false, 0);
    else if (whole.kinds.length > 0) this.#row("value", whole, false, 0);
  }

  #properties({ properties, required }: Whole, depth: number): void {
    for (const [name, inner] of properties) this.#field(name, inner, required.has(name), depth);
  }

  #field(name: string, schema: Json, required: boolean, depth: number): void {
    if (this.fields.length >= listedFields.most) return;
    const whole = this.#whole(schema);
    this.#row(name, whole, required, depth);
    if (depth >= listedFields.depth) return;
    let inner = whole;
    // A list of lists is one field; its fields are those of what is within.
    for (let level = 0; level < 4 && inner.items !== undefined; level++) inner = this.#whole(inner.items);
    this.#properties(inner, depth + 1);
  }

  #row(name: string, whole: Whole, required: boolean, depth: number): void {
    this.fields.push({ name, depth, kind: this.#kind(whole), required, note: noteOf(whole.parts) });
  }

  #kind(whole: Whole, depth = 0): string {
    const words = [...new Set(whole.kinds)].slice(0, mostKinds).map((kind) => {
      if (kind !== "list") return kind;
      if (whole.items === undefined || depth > listedFields.depth) return "list";
      return `list of ${plural(this.#kind(this.#whole(whole.items), depth + 1))}`;
    });
    const format = textAt(whole.parts, "format");
    return (
      (words.join(" or ") || "anything") + (format ? ` (${format === "email" ? "e-mail" : format})` : "")
    );
  }

  /** A schema with what `allOf` adds to it, and the fields of its alternatives. */
  #whole(schema: Json | undefined, depth = 0): Whole {
    const whole: Whole = {
      parts: [],
      kinds: [],
      properties: new Map(),
      required: new Set(),
      items: undefined,
    };
    if (!isObject(schema) || --this.#left < 0 || depth > 8) return whole;
    whole.parts.push(schema);
    const reference = own(schema, "$ref");
    whole.kinds.push(...kindsOf(schema));
    if (typeof reference === "string" && whole.kinds.length === 0)
      whole.kinds.push(`${reference.split("/").at(-1)}, as above`);
    const properties = own(schema, "properties");
    if (isObject(properties))
      for (const [name, inner] of Object.entries(properties)) whole.properties.set(name, inner);
    for (const name of namesAt(schema, "required")) whole.required.add(name);
    whole.items = own(schema, "items");
    for (const part of listAt(schema, "allOf")) join(whole, this.#whole(part, depth + 1));
    for (const key of ["oneOf", "anyOf"]) {
      const ways = listAt(schema, key).map((one) => this.#whole(one, depth + 1));
      // Null or a text beside an object lacks nothing.
      const common = inAll(ways.filter((way) => way.properties.size > 0).map(({ required }) => required));
      for (const way of ways) {
        way.required = common;
        // What is said of one alternative does not hold for the others.
        join(whole, { ...way, parts: [] });
      }
    }
    return whole;
  }
}

interface Whole {
  /** The schemas that hold for it. */
  parts: JsonObject[];
  kinds: string[];
  properties: Map<string, Json>;
  required: Set<string>;
  items: Json | undefined;
}

/** What is in all of some sets. */
function inAll([first, ...others]: readonly Set<string>[]): Set<string> {
  let common = first ?? new Set<string>();
  // It only becomes smaller: each of the others is looked through at most once.
  for (const one of others) common = new Set([...one].filter((name) => common.has(name)));
  return common;
}

function join(whole: Whole, more: Whole): void {
  whole.parts.push(...more.parts);
  whole.kinds.push(...more.kinds);
  for (const [name, inner] of more.properties)
    if (!whole.properties.has(name)) whole.properties.set(name, inner);
  for (const name of more.required) whole.required.add(name);
  whole.items ??= more.items;
}

const kindWords: Record<string, string> = {
  string: "text",
  integer: "whole number",
  array: "list",
};
function kindsOf(schema: JsonObject): string[] {
  const given = [own(schema, "type") ?? []].flat().map(String);
  const found = given.map((type) => kindWords[type] ?? type);
  if (found.length === 0 && isObject(own(schema, "properties"))) found.push("object");
  if (found.length === 0 && own(schema, "items") !== undefined) found.push("list");
  // OpenAPI 3.0 (Schema Object, nullable).
  if (own(schema, "nullable") === true) found.push("null");
  return found;
}

function plural(kind: string): string {
  return /^(object|text|number|whole number|boolean)$/.test(kind) ? `${kind}s` : kind;
}

/** So many values of an enumeration are named, and so long each may be. */
const [mostValues, longest] = [20, 60];
const said = (value: Json): string => briefJson(value, longest);
function oneOf(value: Json): string {
  const all = [value].flat() as Json[];
  const more = all.length > mostValues ? ` and ${all.length - mostValues} more` : "";
  return `One of ${all.slice(0, mostValues).map(said).join(", ")}${more}.`;
}
const rules: [key: string, words: (value: Json) => string][] = [
  ["enum", oneOf],
  ["const", (value) => `Always ${said(value)}.`],
  ["default", (value) => `Default: ${said(value)}.`],
  ["minimum", (value) => `At least ${said(value)}.`],
  ["exclusiveMinimum", (value) => (typeof value === "number" ? `More than ${value}.` : "")],
  ["maximum", (value) => `At most ${said(value)}.`],
  ["exclusiveMaximum", (value) => (typeof value === "number" ? `Less than ${value}.` : "")],
  ["minLength", (value) => `At least ${said(value)} characters.`],
  ["maxLength", (value) => `At most ${said(value)} characters.`],
  ["pattern", (value) => `Matches ${String(value).slice(0, 200)}.`],
  ["minItems", (value) => `At least ${said(value)} items.`],
  ["maxItems", (value) => `At most ${said(value)} items.`],
  ["readOnly", (value) => (value === true ? "Only in responses." : "")],
  ["writeOnly", (value) => (value === true ? "Only in requests." : "")],
  ["deprecated", (value) => (value === true ? "Deprecated." : "")],
];

function noteOf(parts: readonly JsonObject[]): string {
  const words = ["title", "description"].flatMap((key) => {
    const text = textAt(parts, key)?.trim();
    return text ? [/[.!?:]$/.test(text) ? text : `${text}.`] : [];
  });
  const ruled = rules.flatMap(([key, inWords]) => {
    const value = parts.map((part) => own(part, key)).find((one) => one !== undefined);
    return value === undefined ? [] : [inWords(value)];
  });
  const note = [...new Set([...words, ...ruled])].filter(Boolean).join(" ");
  return note.length > longestNote ? `${note.slice(0, longestNote)}…` : note;
}

function textAt(parts: readonly JsonObject[], key: string): string | undefined {
  const found = parts.map((part) => own(part, key)).find((one) => typeof one === "string");
  return found as string | undefined;
}
function listAt(schema: JsonObject, key: string): Json[] {
  const list = own(schema, key);
  return Array.isArray(list) ? list : [];
}
function namesAt(schema: JsonObject, key: string): string[] {
  return listAt(schema, key).filter((name): name is string => typeof name === "string");
}
