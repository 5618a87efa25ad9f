import { requestLine } from "./document-fields.js";
import { bodyMediaType } from "../http/build.js";
import { derivedId, uniqueId, type Api, type Operation } from "../apis/openapi.js";
import { rawOperation, withOperation } from "../apis/edit.js";
import { partName } from "../apis/pasted/understand.js";
import { isObject, type Json, type JsonObject } from "../values/json.js";
import type { Path } from "../values/paths.js";
import { addFieldAfter, CannotEdit, removeField, replaceField, setField } from "./edit.js";
import { innerLists } from "./nested.js";
import { Source } from "./source.js";

/** The call cannot become an operation; `message` says why. */
export class CannotAdopt extends Error {
  override name = "CannotAdopt";
}

/** What becomes of a workflow and of an API when an inline call is made an operation. */
export interface Adopted {
  /** The operation's id. */
  id: string;
  /** The API's document with the operation in it. */
  document: JsonObject;
  /** The file, calling the operation. */
  text: string;
  notes: string[];
}

export interface AdoptInto {
  /** The API's name, as it stands in front of the dot. */
  name: string;
  document: JsonObject;
  /** The document, read; undefined if the API is new. */
  api: Api | undefined;
  /** The id that the operation is to have; else one is derived. */
  id?: string | undefined;
  /** What a template in front of the path comes to, such as `${constants.stays}`; undefined if nobody knows. */
  resolve(template: string): string | undefined;
}

type Place = "path" | "query" | "header" | "cookie";
interface Sent {
  name: string;
  in: Place;
  value: Json;
}

/**
 * Turns the inline call of a step into an operation of an API: method and path go into the document, what is in the
 * path, the query, the headers and the cookies become parameters, and the step calls the operation with them. An
 * operation of the same method and path is used, and gets the parameters that it lacks.
 * @throws CannotAdopt
 */
export function adoptStep(text: string, step: string, into: AdoptInto): Adopted {
  const value = new Source(text).value;
  if (value === undefined) throw new CannotAdopt("The file cannot be read as it is; correct it first.");
  const found = isObject(value) ? findStep(value["steps"], ["steps"], step) : undefined;
  if (!found) throw new CannotAdopt(`There is no step "${step}" with a "request" in the file.`);
  const { raw } = found;
  const line = requestLine.exec(String(raw["request"]));
  if (!line) throw new CannotAdopt(`The request of "${step}" is not a method and URL.`);
  const method = line[1] as string;
  const { server, path, query } = splitUrl(String(raw["request"]).slice(method.length).trim(), into);
  const base = baseOf(server, path, into);
  const sent: Sent[] = [];
  const template = pathTemplate(path.slice(base.length), sent);
  sent.push(...query, ...sentIn(raw["query"], "query", step), ...sentIn(raw["cookies"], "cookie", step));
  const headers = sentIn(raw["headers"], "header", step);
  sent.push(...headers.filter(({ name }) => !stays.test(name)));
  const notes: string[] = [];
  const known = into.api?.operations.find(
    (one) => one.method === method && plain(one.path) === plain(template),
  );
  if (known) renameParts(sent, template, known);
  const parameters = namedOnce(sent);
  const target = known
    ? widened(into.document, known, sent, notes)
    : added(into, { method, path: template, server }, sent, raw["body"]);
  return {
    id: target.id,
    document: target.document,
    text: edited(() => rewritten(text, found, `${into.name}.${target.id}`, parameters, headers)),
    notes,
  };
}

/** Headers that stay with the step: they say how it is sent and answered, not what is asked. */
const stays = /^(accept|content-type|accept-encoding|accept-language|if-.*)$/i;

/** A step of the file, and where it stands. */
interface FoundStep {
  path: Path;
  raw: JsonObject;
}

function findStep(list: Json | undefined, path: Path, name: string): FoundStep | undefined {
  for (const [index, raw] of Array.isArray(list) ? list.entries() : []) {
    if (!isObject(raw)) continue;
    const at = [...path, index];
    if (raw["step"] === name && raw["request"] !== undefined) return { path: at, raw };
    for (const inner of innerLists(raw)) {
      const found = findStep(inner.list, [...at, ...inner.path], name);
      if (found) return found;
    }
  }
  return undefined;
}

function edited(edit: () => string): string {
  try {
    return edit();
  } catch (error) {
    if (error instanceof CannotEdit) throw new CannotAdopt(error.message);
    throw error;
  }
}

function splitUrl(url: string, { resolve }: AdoptInto): { server: string; path: string; query: Sent[] } {
  const literal = /^https?:\/\/[^/?#$]+/i.exec(url)?.[0];
  const template = /^\$\{[^}]*\}/.exec(url)?.[0];
  const server = literal ?? (template === undefined ? undefined : resolve(template));
  if (server === undefined)
    throw new CannotAdopt(`Where the call goes is known only at run time: "${template ?? url}".`);
  const rest = url.slice((literal ?? template ?? "").length);
  const [path = "", search = ""] = splitOnce(rest, "?");
  const query = outside(search, "&").flatMap((pair): Sent[] => {
    if (pair === "") return [];
    const [name = "", value = ""] = splitOnce(pair, "=");
    return [
      {
        name: decodeURIComponent(name),
        in: "query",
        value: value.includes("${") ? value : decodeURIComponent(value),
      },
    ];
  });
  return { server: server.replace(/\/+$/, ""), path: path.replace(/#.*$/, "") || "/", query };
}

/** Splits at a character that stands in no `${…}`. */
function outside(text: string, separator: string): string[] {
  const parts = [""];
  let depth = 0;
  for (let at = 0; at < text.length; at++) {
    const character = text[at] as string;
    if (character === "{" && (depth > 0 || text[at - 1] === "$")) depth++;
    else if (character === "}" && depth > 0) depth--;
    if (character === separator && depth === 0) parts.push("");
    else parts[parts.length - 1] += character;
  }
  return parts;
}

function splitOnce(text: string, separator: string): string[] {
  const [first = "", ...rest] = outside(text, separator);
  return rest.length > 0 ? [first, rest.join(separator)] : [first];
}

/** The part of the path that belongs to the API's own server address. */
function baseOf(server: string, path: string, { api, name }: AdoptInto): string {
  if (!api || api.servers.length === 0) return "";
  const whole = server + path;
  const fit = api.servers.find(
    (one) => whole === one || whole.startsWith(`${one}/`) || whole.startsWith(`${one}?`),
  );
  if (fit === undefined)
    throw new CannotAdopt(`The call goes to ${server}, and the API ${name} is at ${api.servers.join(", ")}.`);
  return fit.length > server.length ? fit.slice(server.length) : "";
}

/** The path with a placeholder for each part that holds a template; what stood there becomes a parameter. */
function pathTemplate(path: string, sent: Sent[]): string {
  const parts = outside(path.replace(/^\//, ""), "/");
  const made = parts.map((part, index) => {
    if (!part.includes("${")) return part;
    const before = parts[index - 1] ?? "";
    const wanted = partName(before.includes("${") ? "" : before);
    const name = uniqueId(wanted, new Set(sent.map((one) => one.name)));
    sent.push({ name, in: "path", value: part });
    return `{${name}}`;
  });
  return `/${made.join("/")}`;
}

function sentIn(given: Json | undefined, place: Place, step: string): Sent[] {
  if (given === undefined) return [];
  if (!isObject(given))
    throw new CannotAdopt(
      `What "${step}" sends in its ${place} is known only at run time. Write its names out first.`,
    );
  return Object.entries(given).map(([name, value]) => ({ name, in: place, value }));
}

const plain = (path: string) => path.replace(/\{[^}]+\}/g, "{}");

/** Path parameters get the names that a known operation has for them. */
function renameParts(sent: Sent[], template: string, known: Operation): void {
  const names = (path: string) => [...path.matchAll(/\{([^}]+)\}/g)].map((match) => match[1] as string);
  const theirs = names(known.path);
  const parts = names(template).map((name) => sent.find((one) => one.in === "path" && one.name === name));
  parts.forEach((part, index) => {
    if (part) part.name = theirs[index] ?? part.name;
  });
}

/** Parameters are given by name, so that no two places can have the same one. */
function namedOnce(sent: Sent[]): JsonObject {
  const parameters: JsonObject = {};
  for (const { name, value } of sent) {
    if (parameters[name] !== undefined)
      throw new CannotAdopt(`"${name}" is sent in two places, but parameters must have different names.`);
    parameters[name] = value;
  }
  return parameters;
}

function parameterObject({ name, in: place, value }: Sent): JsonObject {
  const known = typeof value === "string" && value.includes("${") ? undefined : value;
  const type = Array.isArray(value)
    ? "array"
    : typeof known === "boolean"
      ? "boolean"
      : typeof known === "number"
        ? "number"
        : undefined;
  return {
    name,
    in: place,
    ...(place === "path" ? { required: true } : {}),
    schema: place === "path" ? { type: "string" } : type ? { type } : {},
  };
}

interface Target {
  id: string;
  document: JsonObject;
}

function added(
  { document, api, id: wanted }: AdoptInto,
  { method, path, server }: { method: string; path: string; server: string },
  sent: Sent[],
  body: Json | undefined,
): Target {
  const id = uniqueId(wanted ?? derivedId(method, path), new Set(api?.operations.map((one) => one.id)));
  const kind = isObject(body) ? Object.keys(body)[0] : undefined;
  const operation: JsonObject = {
    operationId: id,
    ...(sent.length > 0 ? { parameters: sent.map(parameterObject) } : {}),
    ...(kind ? { requestBody: { required: true, content: { [bodyMediaType(kind)]: {} } } } : {}),
    responses: { default: { description: "Not described yet." } },
  };
  const placed = api ? document : { ...document, servers: [{ url: server }] };
  return { id, document: withOperation(placed, { path, method }, operation) };
}

/** The document with the parameters that a known operation lacks. */
function widened(document: JsonObject, known: Operation, sent: Sent[], notes: string[]): Target {
  const { id, method, path, parameters } = known;
  notes.push(`${method} ${path} already exists as ${id}.`);
  const missing = sent.filter(({ name }) => !parameters.some((one) => one.name === name));
  if (missing.length === 0) return { id, document };
  notes.push(`It now has ${missing.map(({ name }) => name).join(", ")}.`);
  const operation = rawOperation(document, known) ?? {};
  const before = Array.isArray(operation["parameters"]) ? operation["parameters"] : [];
  const more = { ...operation, parameters: [...before, ...missing.map(parameterObject)] };
  return { id, document: withOperation(document, known, more) };
}

/** The text with the step calling the operation; no other line changes. */
function rewritten(
  text: string,
  { path, raw }: FoundStep,
  operation: string,
  parameters: JsonObject,
  headers: Sent[],
): string {
  let made = replaceField(text, [...path, "request"], "operation", operation);
  if (Object.keys(parameters).length > 0)
    made = addFieldAfter(made, [...path, "parameters"], parameters, "operation");
  const stay = headers.filter(({ name }) => stays.test(name));
  for (const key of ["query", "headers", "cookies"]) {
    if (raw[key] === undefined) continue;
    const at = [...path, key];
    made =
      key === "headers" && stay.length > 0
        ? setField(made, at, Object.fromEntries(stay.map(({ name, value }) => [name, value])))
        : removeField(made, at);
  }
  return made;
}
