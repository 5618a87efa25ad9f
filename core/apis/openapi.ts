import { defaultEffect, type Effect } from "../http/effect.js";
import type { PagePlace } from "../http/pages.js";
import { bounds } from "../values/bounds.js";
import { isObject, own, type Json, type JsonObject } from "../values/json.js";
import { extensionsOf, type Extensions } from "./extensions.js";
import { parametersOf, type Parameter } from "./parameters.js";
import { deref, firstExample, listAt, objectAt, textAt } from "./references.js";
import { securityOf, type SecurityScheme } from "./security-schemes.js";
import { serversOf } from "./servers.js";

export type { Parameter, ParameterPlace } from "./parameters.js";
export { deref, pointedAt } from "./references.js";

/** A body in one media type, or a response. */
export interface Content {
  type: string;
  schema?: JsonObject;
  example?: Json;
  /** How fields of a form are written (OpenAPI 3.1, section 4.8.15), by their names. */
  encoding?: JsonObject;
}

export interface Operation extends Extensions {
  /** Unique in its API; derived where the document gives none. */
  id: string;
  method: string;
  path: string;
  /** The address that it goes to, if it is not that of its API. */
  server?: string;
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
  in?: PagePlace;
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
  const place = (["query", "body", "header"] as const).find((one) => one === value["in"]);
  if (place) said.in = place;
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
  /** How its calls may prove who they are, as the document says (`securitySchemes`). */
  security: SecurityScheme[];
  operations: Operation[];
  /** What was put right or left out, in plain words. */
  notes: string[];
}

const methods = ["get", "put", "post", "delete", "options", "head", "patch", "trace", "query"];
/** Whether a method is a field of a path (OpenAPI 3.1, section 4.8.9, and `query` of 3.2). */
export function isFieldOfPath(method: string): boolean {
  return methods.includes(method.toLowerCase());
}

/**
 * Reads the operations of an OpenAPI 3.1 document. References inside the document are followed, cycles included; the
 * document is not changed.
 */
export function readApi(document: JsonObject): Api {
  const info = objectAt(document, "info");
  const notes: string[] = [];
  const read: Operation[] = [];
  const ids = new Ids();
  for (const [path, raw] of Object.entries(objectAt(document, "paths"))) {
    const item = deref(document, raw);
    if (!isObject(item)) continue;
    const shared = listAt(item, "parameters");
    const [server] = serversOf(item, notes);
    const more = objectAt(item, "additionalOperations");
    for (const [method, operation] of [
      ...methods.map((name) => [name, own(item, name)] as const),
      ...Object.entries(more),
    ])
      if (isObject(operation))
        read.push({
          ...(server === undefined ? {} : { server }),
          ...operationOf(document, path, method, operation, shared, ids, notes),
        });
  }
  noteOverlaps(read, notes);
  ids.tell(notes);
  if (notes.length > bounds.notes)
    notes.splice(bounds.notes, Infinity, `… and ${notes.length - bounds.notes} more.`);
  const servers = serversOf(document, notes);
  if (servers.length === 0) notes.push("The document names no server. Give one, or calls cannot be sent.");
  const about = textAt(info, "description");
  const credential = textAt(document, "x-ckettle-credential");
  return {
    title: textAt(info, "title") ?? "Untitled",
    version: textAt(info, "version") ?? "",
    servers,
    security: securityOf(document),
    operations: read,
    notes,
    ...(about === undefined ? {} : { about }),
    ...(credential === undefined ? {} : { credential }),
  };
}

function operationOf(
  document: JsonObject,
  path: string,
  method: string,
  raw: JsonObject,
  shared: Json[],
  ids: Ids,
  notes: string[],
): Operation {
  const id = ids.of(method, path, textAt(raw, "operationId"));
  const [server] = serversOf(raw, notes);
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
    ...(server === undefined ? {} : { server }),
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
    ...extensionsOf(raw),
  };
}

/** The operation of an id, or else the one that had it before it was renamed. */
export function operationById(operations: readonly Operation[], id: string): Operation | undefined {
  return operations.find((one) => one.id === id) ?? operations.find(({ was }) => was?.includes(id));
}

function bodyOf(document: JsonObject, raw: JsonObject): Operation["body"] {
  const body = deref(document, raw["requestBody"]);
  if (!isObject(body)) return undefined;
  return { required: body["required"] === true, content: contentOf(document, body) };
}

function contentOf(document: JsonObject, holder: JsonObject): Content[] {
  return Object.entries(objectAt(holder, "content")).map(([type, media]) => {
    const found = deref(document, media);
    if (!isObject(found)) return { type };
    const { schema, example = firstExample(document, found), encoding } = found;
    return {
      type,
      ...(isObject(schema) ? { schema } : {}),
      ...(example === undefined ? {} : { example }),
      ...(isObject(encoding) ? { encoding } : {}),
    };
  });
}

function scopesOf(security: Json | undefined): string[] {
  const all = (Array.isArray(security) ? security : []).map((requirement) =>
    isObject(requirement)
      ? Object.values(requirement).flatMap((scopes) => (Array.isArray(scopes) ? scopes.map(String) : []))
      : [],
  );
  return all.find((scopes) => scopes.length > 0) ?? [];
}

/** So many changed ids are named one by one. */
const mostChangedIds = 3;

/** The ids of a document's operations: each once, and such as can stand in a file. */
class Ids {
  readonly #taken = new Set<string>();
  readonly #changed: string[] = [];

  of(method: string, path: string, given: string | undefined): string {
    const id = uniqueId(given ?? derivedId(method, path), this.#taken);
    if (given !== undefined && id !== given) this.#changed.push(`"${given}" is called "${id}"`);
    return id;
  }

  /** Says which ids were changed; of many a few, so that other notes are seen. */
  tell(notes: string[]): void {
    const count = this.#changed.length;
    const some = this.#changed.slice(0, mostChangedIds);
    if (count > 0)
      notes.push(
        `${count === 1 ? "An id is" : `${count} ids are`} used twice or cannot stand in a file: ${some.join(", ")}${count > some.length ? ", and so on" : ""}.`,
      );
  }
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
