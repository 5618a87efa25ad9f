import { defaultEffect, type Effect } from "../http/effect.js";
import { bounds } from "../values/bounds.js";
import { isObject, own, type Json, type JsonObject } from "../values/json.js";

/** Where a parameter goes; named as in OpenAPI (`in`). */
export type ParameterPlace = "path" | "query" | "header" | "cookie";

/** A parameter of an operation (OpenAPI 3.1, section 4.8.12). */
export interface Parameter {
  name: string;
  in: ParameterPlace;
  /** What people call it: the title of its schema, else its name. */
  title: string;
  about?: string;
  required: boolean;
  schema: JsonObject;
  style: string;
  explode: boolean;
  allowReserved: boolean;
  default?: Json;
  choices?: Json[];
  example?: Json;
  /** Always sent, hidden from those who use the operation, and not theirs to change (`const` of its schema). */
  fixed?: Json;
}

/** A body in one media type, or a response. */
export interface Content {
  type: string;
  schema?: JsonObject;
  example?: Json;
}

export interface Operation {
  /** Unique in its API; derived where the document gives none. */
  id: string;
  method: string;
  path: string;
  title: string;
  about?: string;
  effect: Effect;
  parameters: Parameter[];
  body?: { required: boolean; content: Content[] };
  responses: { status: string; about: string; content: Content[] }[];
  /** The scopes that it wants, of whichever of its security requirements names any. */
  scopes: string[];
  /** An expression over the response: what counts as success beyond the status (`x-ckettle-success`). */
  success?: string;
  /** How its responses go on over several pages (`x-ckettle-pages`); expressions as texts. */
  pages?: PagesSaid;
  /** A link to its documentation. */
  docs?: string;
  deprecated: boolean;
}

const pagesBy = ["link", "cursor", "page", "offset"] as const;

/** How pages go on, as a document says it; expressions as texts. */
export interface PagesSaid {
  by: (typeof pagesBy)[number];
  items?: string;
  next?: string;
  param?: string;
  size?: number;
}

function pagesSaid(value: Json | undefined): PagesSaid | undefined {
  if (!isObject(value)) return undefined;
  const by = pagesBy.find((one) => one === value["by"]);
  if (!by) return undefined;
  const said: PagesSaid = { by };
  for (const key of ["items", "next", "param"] as const) {
    const text = textAt(value, key);
    if (text !== undefined) said[key] = text;
  }
  if (typeof value["size"] === "number" && value["size"] >= 1) said.size = Math.floor(value["size"]);
  return said;
}

/** What an OpenAPI document says, as far as calls need it. */
export interface Api {
  title: string;
  about?: string;
  version: string;
  servers: string[];
  /** The credential that its calls use where a step names none (`x-ckettle-credential`). */
  credential?: string;
  operations: Operation[];
  /** What was put right or left out, in plain words. */
  notes: string[];
}

const methods = ["get", "put", "post", "delete", "options", "head", "patch", "trace", "query"];
const mostHops = 32;

/**
 * Reads the operations of an OpenAPI 3.1 document. References inside the document are followed, cycles included; the
 * document is not changed.
 */
export function readApi(document: JsonObject): Api {
  const info = objectAt(document, "info");
  const notes: string[] = [];
  const read: Operation[] = [];
  const ids = new Set<string>();
  for (const [path, raw] of Object.entries(objectAt(document, "paths"))) {
    const item = deref(document, raw);
    if (!isObject(item)) continue;
    const shared = listAt(item, "parameters");
    for (const method of methods) {
      const operation = own(item, method);
      if (isObject(operation)) read.push(operationOf(document, path, method, operation, shared, ids, notes));
    }
  }
  noteOverlaps(read, notes);
  if (notes.length > bounds.notes)
    notes.splice(bounds.notes, Infinity, `… and ${notes.length - bounds.notes} more.`);
  const servers = serversOf(document);
  if (servers.length === 0) notes.push("The document names no server. Give one, or calls cannot be sent.");
  const about = textAt(info, "description");
  const credential = textAt(document, "x-ckettle-credential");
  return {
    title: textAt(info, "title") ?? "Untitled",
    version: textAt(info, "version") ?? "",
    servers,
    operations: read,
    notes,
    ...(about === undefined ? {} : { about }),
    ...(credential === undefined ? {} : { credential }),
  };
}

/** Follows a reference inside the document (`#/…`, RFC 6901); what leads nowhere is undefined. */
export function deref(document: JsonObject, node: Json | undefined): Json | undefined {
  let found = node;
  for (let hops = 0; hops < mostHops; hops++) {
    if (!isObject(found) || typeof found["$ref"] !== "string") return found;
    found = pointedAt(document, found["$ref"]);
  }
  return undefined;
}

/** What a reference inside the document leads to, which may be a reference again (RFC 6901). */
export function pointedAt(document: JsonObject, reference: string): Json | undefined {
  if (!reference.startsWith("#/")) return reference === "#" ? document : undefined;
  let found: Json | undefined = document;
  for (const part of reference.slice(2).split("/")) {
    const key = decoded(part).replaceAll("~1", "/").replaceAll("~0", "~");
    if (Array.isArray(found)) found = found[Number(key)];
    else if (isObject(found)) found = own(found, key);
    else return undefined;
  }
  return found;
}

/** A part of a reference as it is meant; one that is encoded badly is taken as it stands. */
function decoded(part: string): string {
  try {
    return decodeURIComponent(part);
  } catch {
    return part;
  }
}

function operationOf(
  document: JsonObject,
  path: string,
  method: string,
  raw: JsonObject,
  shared: Json[],
  ids: Set<string>,
  notes: string[],
): Operation {
  const given = textAt(raw, "operationId");
  const id = uniqueId(given ?? derivedId(method, path), ids);
  if (given !== undefined && id !== given)
    notes.push(
      `The id "${given}" is used twice or cannot be used in a file; ${method.toUpperCase()} ${path} is called "${id}".`,
    );
  const docs = textAt(objectAt(raw, "externalDocs"), "url");
  const about = textAt(raw, "description");
  const success = textAt(raw, "x-ckettle-success");
  const pages = pagesSaid(raw["x-ckettle-pages"]);
  if (raw["x-ckettle-pages"] !== undefined && !pages)
    notes.push(`x-ckettle-pages of ${id} is not used: it needs "by", which is one of ${pagesBy.join(", ")}.`);
  const effect = textAt(raw, "x-ckettle-effect") as Effect | undefined;
  const body = bodyOf(document, raw);
  return {
    id,
    method: method.toUpperCase(),
    path,
    title: textAt(raw, "summary") ?? `${method.toUpperCase()} ${path}`,
    effect: effect ?? defaultEffect(method.toUpperCase()),
    parameters: parametersOf(document, [...shared, ...listAt(raw, "parameters")], path, notes),
    responses: Object.entries(objectAt(raw, "responses")).map(([status, response]) => {
      const found = deref(document, response);
      return {
        status,
        about: isObject(found) ? (textAt(found, "description") ?? "") : "",
        content: isObject(found) ? contentOf(document, found) : [],
      };
    }),
    scopes: scopesOf(raw["security"] ?? document["security"]),
    deprecated: raw["deprecated"] === true,
    ...(body ? { body } : {}),
    ...(about === undefined ? {} : { about }),
    ...(success === undefined ? {} : { success }),
    ...(pages === undefined ? {} : { pages }),
    ...(docs === undefined ? {} : { docs }),
  };
}

function bodyOf(document: JsonObject, raw: JsonObject): Operation["body"] {
  const body = deref(document, raw["requestBody"]);
  if (!isObject(body)) return undefined;
  return { required: body["required"] === true, content: contentOf(document, body) };
}

function contentOf(document: JsonObject, holder: JsonObject): Content[] {
  return Object.entries(objectAt(holder, "content")).map(([type, media]) => {
    const found = deref(document, media);
    const { schema, example = firstExample(found) } = isObject(found) ? found : {};
    return {
      type,
      ...(isObject(schema) ? { schema } : {}),
      ...(example === undefined ? {} : { example }),
    };
  });
}

/** The first of the named examples of a media type. */
function firstExample(media: Json | undefined): Json | undefined {
  const [first] = isObject(media) ? Object.values(objectAt(media, "examples")) : [];
  return isObject(first) ? first["value"] : undefined;
}

/** Later ones stand over earlier ones of the same place and name: an operation's over those of its path. */
function parametersOf(document: JsonObject, list: Json[], path: string, notes: string[]): Parameter[] {
  const found = new Map<string, Parameter>();
  for (const raw of list) {
    const parameter = deref(document, raw);
    if (!isObject(parameter)) {
      notes.push(`A parameter of ${path} refers to nothing; it is left out.`);
      continue;
    }
    const read = parameterOf(document, parameter);
    if (read) found.set(`${read.in} ${read.name}`, read);
  }
  for (const [, name] of path.matchAll(/\{([^}]+)\}/g)) {
    if (name !== undefined && !found.has(`path ${name}`)) {
      notes.push(`The path ${path} has a part {${name}} that no parameter describes; it is read as text.`);
      found.set(`path ${name}`, { ...base(name, "path"), schema: { type: "string" } });
    }
  }
  return [...found.values()];
}

function base(name: string, place: ParameterPlace): Parameter {
  const form = place === "query" || place === "cookie";
  return {
    name,
    in: place,
    title: name,
    required: place === "path",
    schema: {},
    style: form ? "form" : "simple",
    explode: form,
    allowReserved: false,
  };
}

function parameterOf(document: JsonObject, raw: JsonObject): Parameter | undefined {
  const name = textAt(raw, "name");
  const place = textAt(raw, "in") as ParameterPlace | undefined;
  if (name === undefined || place === undefined || !["path", "query", "header", "cookie"].includes(place))
    return undefined;
  // A parameter with `content` is JSON in one text.
  const content = Object.values(objectAt(raw, "content"))[0];
  const schema = deref(document, isObject(content) ? content["schema"] : raw["schema"]);
  const sound = isObject(schema) ? schema : {};
  const start = base(name, place);
  const style = textAt(raw, "style") ?? start.style;
  const about = textAt(raw, "description") ?? textAt(sound, "description");
  const choices = sound["enum"];
  const example =
    raw["example"] ??
    sound["example"] ??
    (Array.isArray(sound["examples"]) ? sound["examples"][0] : undefined);
  return {
    ...start,
    title: textAt(sound, "title") ?? name,
    required: place === "path" || raw["required"] === true,
    schema: sound,
    style: isObject(content) ? "json" : style,
    explode: typeof raw["explode"] === "boolean" ? raw["explode"] : style === "form",
    allowReserved: raw["allowReserved"] === true,
    ...(about === undefined ? {} : { about }),
    ...(sound["default"] === undefined ? {} : { default: sound["default"] }),
    ...(Array.isArray(choices) ? { choices } : {}),
    ...(example === undefined ? {} : { example }),
    ...(sound["const"] === undefined ? {} : { fixed: sound["const"] }),
  };
}

function scopesOf(security: Json | undefined): string[] {
  const all = (Array.isArray(security) ? security : []).map((requirement) =>
    isObject(requirement)
      ? Object.values(requirement).flatMap((scopes) => (Array.isArray(scopes) ? scopes.map(String) : []))
      : [],
  );
  return all.find((scopes) => scopes.length > 0) ?? [];
}

/** The addresses of a document's servers, their variables filled with their defaults. */
function serversOf(document: JsonObject): string[] {
  return listAt(document, "servers").flatMap((server) => {
    if (!isObject(server) || typeof server["url"] !== "string") return [];
    const variables = objectAt(server, "variables");
    const url = server["url"].replace(/\{([^}]+)\}/g, (whole, name: string) => {
      const variable = own(variables, name);
      return isObject(variable) && variable["default"] !== undefined ? String(variable["default"]) : whole;
    });
    return [url.replace(/\/+$/, "")];
  });
}

/** Which number comes next behind each id that is taken: thousands of operations may be alike. */
const nextCounts = new WeakMap<Set<string>, Map<string, number>>();

/** An id as it can stand behind a dot in a file: letters, digits, `_`, `-` and dots. */
export function uniqueId(wanted: string, taken: Set<string>): string {
  const clean = wanted.replace(/[^A-Za-z0-9_.-]+/g, "_").replace(/^[^A-Za-z0-9]+|_+$/g, "") || "operation";
  if (!taken.has(clean)) {
    taken.add(clean);
    return clean;
  }
  const counts = nextCounts.get(taken) ?? new Map<string, number>();
  nextCounts.set(taken, counts);
  let count = counts.get(clean) ?? 2;
  while (taken.has(`${clean}${count}`)) count++;
  counts.set(clean, count + 1);
  taken.add(`${clean}${count}`);
  return `${clean}${count}`;
}

/** `get /guests/{id}/stays` → `getGuestsIdStays`. */
export function derivedId(method: string, path: string): string {
  const words = path.split(/[^A-Za-z0-9]+/).filter(Boolean);
  return method.toLowerCase() + words.map((word) => word.charAt(0).toUpperCase() + word.slice(1)).join("");
}

/** Two paths that differ only in the names of their parts cannot be told apart (OpenAPI 3.1, section 4.8.8). */
function noteOverlaps(operations: Operation[], notes: string[]): void {
  const seen = new Map<string, string>();
  for (const { method, path } of operations) {
    const key = `${method} ${path.replace(/\{[^}]+\}/g, "{}")}`;
    const before = seen.get(key);
    if (before !== undefined && before !== path)
      notes.push(`${method} ${before} and ${path} are the same but for the names of their parts.`);
    seen.set(key, path);
  }
}

function objectAt(value: JsonObject, key: string): JsonObject {
  const found = own(value, key);
  return isObject(found) ? found : {};
}

function listAt(value: JsonObject, key: string): Json[] {
  const found = own(value, key);
  return Array.isArray(found) ? found : [];
}

function textAt(value: JsonObject, key: string): string | undefined {
  const found = own(value, key);
  return typeof found === "string" && found !== "" ? found : undefined;
}
