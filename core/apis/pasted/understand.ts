import { fromBase64, fromUtf8, toBase64, utf8 } from "../../values/encodings.js";
import { isObject, parseJson, type Json, type JsonObject } from "../../values/json.js";
import { bounds } from "../../values/bounds.js";
import { derivedId, uniqueId } from "../openapi.js";
import type { OperationPlace } from "../edit.js";
import { addField } from "./fields.js";
import { FoundKeys, isPlaceholder, looksSecret, type FoundKey } from "./keys.js";
import { decoded, formOf, pastedUrl, type PastedBody, type PastedRequest } from "./request.js";

/** A part of the path that looks as if it changed from call to call. */
export interface PathPart {
  /** Its place among the parts of the path, from 0. */
  index: number;
  value: string;
  /** The name that it is offered under. */
  name: string;
}

/**
 * A key that stood in a pasted request: it goes into a credential, and never into a document. A secret is empty where
 * only a placeholder stood.
 */
export type FoundSecret =
  | { kind: "bearer"; token: string }
  | { kind: "basic" | "digest"; user: string; password: string }
  | { kind: "api-key"; parts: FoundKey[] };

/** What was understood of a pasted request. */
export interface UnderstoodRequest {
  form: PastedRequest["form"];
  method: string;
  server: string;
  path: string;
  /** Parts of the path that are probably parameters. */
  variable: PathPart[];
  query: JsonObject;
  headers: JsonObject;
  body: PastedBody | undefined;
  secret: FoundSecret | undefined;
  notes: string[];
}

/** Headers that tools add, and that say nothing about the operation. */
const idle =
  /^(user-agent|accept-language|cache-control|pragma|origin|referer|dnt|priority|upgrade-insecure-requests|content-type)$/i;

/** Tells the parts of a pasted request apart: server, path with what varies in it, query, headers, body, and keys. */
export function understandPasted(pasted: PastedRequest): UnderstoodRequest {
  const notes = [...pasted.notes];
  const url = pastedUrl(pasted.url.replace(/\{([^}]*)\}/g, "%7B$1%7D"));
  const keys = new FoundKeys(notes);
  const query: JsonObject = {};
  for (const [name, value] of Object.entries(formOf(url.search.slice(1))))
    if (!keys.take("query", name, value)) query[name] = value;
  const headers: JsonObject = {};
  let secret: FoundSecret | undefined;
  for (const [name, value] of pasted.headers) {
    if (/^authorization$/i.test(name)) secret = authorizationOf(value, notes) ?? secret;
    else if (idle.test(name) || keys.take("header", name, value)) continue;
    else if (!/^accept$/i.test(name) || value !== "*/*") addField(headers, name, value);
  }
  const body = pasted.body && keys.inBody(pasted.body);
  if (pasted.user) {
    const { scheme = "basic", user, password } = pasted.user;
    secret = { kind: scheme, user, password: keys.known(password, "the password") };
  } else if (url.username) {
    secret ??= { kind: "basic", user: decoded(url.username), password: decoded(url.password) };
    notes.push("User and password were removed from the address.");
  }
  // An address may be its own proof. Where something else proves it, what looks so in the path is an id.
  const isProved = secret !== undefined || keys.parts.length > 0;
  const path = isProved ? shownPath(url.pathname) : keys.inPath(shownPath(url.pathname));
  if (keys.parts.length > 0 && secret?.kind === "digest")
    notes.push(
      `The request also has a key as ${keys.parts.map(({ name }) => name).join(", ")}. Save it as a second credential.`,
    );
  else if (keys.parts.length > 0)
    secret = { kind: "api-key", parts: [...(secret ? partsOf(secret) : []), ...keys.parts] };
  if (secret) notes.push("A key was found. It goes into a credential, and never into the document.");
  if (notes.length > bounds.notes) notes.splice(bounds.notes, Infinity, "There is more of the kind.");
  return {
    form: pasted.form,
    method: pasted.method,
    server: url.origin,
    path,
    variable: variableParts(path).filter(({ value }) => !keys.isPlace(value)),
    query,
    headers,
    body,
    secret,
    notes,
  };
}

/** What a secret adds to a request, as parts: where there are others besides. */
function partsOf(secret: FoundSecret): FoundKey[] {
  const authorization = (prefix: string, text: string): FoundKey[] => [
    { place: "header", name: "Authorization", prefix, secret: text },
  ];
  switch (secret.kind) {
    case "api-key":
      return secret.parts;
    case "bearer":
      return authorization("Bearer ", secret.token);
    default:
      return authorization("Basic ", toBase64(utf8(`${secret.user}:${secret.password}`)));
  }
}

function authorizationOf(value: string, notes: string[]): FoundSecret | undefined {
  const [scheme = "", ...rest] = value.split(/\s+/);
  const written = rest.join(" ") || scheme;
  const token = isPlaceholder(written) ? "" : written;
  if (token === "")
    notes.push(
      `The key in Authorization is a placeholder (${written}). Give the real one to the credential.`,
    );
  if (rest.length === 0)
    return {
      kind: "api-key",
      parts: [{ place: "header", name: "Authorization", prefix: "", secret: token }],
    };
  if (/^bearer$/i.test(scheme)) return { kind: "bearer", token };
  if (/^digest$/i.test(scheme)) {
    const user = /\busername="([^"]*)"/i.exec(written)?.[1];
    if (user !== undefined) return { kind: "digest", user, password: "" };
  }
  const pair = /^basic$/i.test(scheme) ? userPass(token) : undefined;
  return pair
    ? { kind: "basic", ...pair }
    : {
        kind: "api-key",
        parts: [{ place: "header", name: "Authorization", prefix: `${scheme} `, secret: token }],
      };
}

/** The `user-pass` of RFC 7617; undefined if the token is none. */
function userPass(token: string): { user: string; password: string } | undefined {
  const bytes = fromBase64(token);
  try {
    const [user, ...password] = bytes ? fromUtf8(bytes).split(":") : [];
    return user === undefined || password.length === 0 ? undefined : { user, password: password.join(":") };
  } catch {
    return undefined;
  }
}

/** Numbers, ids and `{names}` in a path, each with a name made from what stands before it. */
function variableParts(path: string): PathPart[] {
  const parts = path.split("/").slice(1);
  return parts.flatMap((part, index) => {
    const value = decoded(part);
    const named =
      /^[{<]+([^{}<>]+)[}>]+$/.exec(value) ??
      /^:([A-Za-z_]\w*)$/.exec(value) ??
      /^\$\{?(\w+)\}?$/.exec(value);
    if (!named && !variesIn(value)) return [];
    const name = named?.[1] ?? partName(parts[index - 1] ?? "");
    return [{ index, value, name: name.replace(/[^A-Za-z0-9_.-]+/g, "_") }];
  });
}

/** Whether a part of a path looks as if it changed from call to call: numbers, UUIDs, and words with a number in them. */
function variesIn(value: string): boolean {
  if (/^\d+$/.test(value) || value.includes("@")) return true;
  if (/^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/i.test(value)) return true;
  // Versions and names of things: v2, v1beta1, 2024-01-01 behind "v", oauth2, ipv4, base64.
  if (/^v?\d+([.-]\d+)*(alpha|beta|rc|preview)?\d*$/i.test(value) && /^v/i.test(value)) return false;
  if (/^[a-z]+\d{1,2}$/i.test(value) || /^\d?[a-z]{1,4}\d?[a-z]{0,3}$/i.test(value)) return false;
  return /\d/.test(value) && /^[A-Za-z0-9_-]{3,}$/.test(value);
}

/** A name for a part of a path, made from the part before it: `guests` gives `guestId`. */
export function partName(before: string): string {
  const one = before
    .replace(/ies$/, "y")
    .replace(/s$/, "")
    .replace(/[^A-Za-z0-9]+/g, "_");
  return one ? `${one}Id` : "id";
}

/** The path with placeholders as they were written: the reader of addresses encodes their brackets. */
function shownPath(path: string): string {
  return path.replace(/%7B|%7D|%3C|%3E/gi, (code) => decodeURIComponent(code));
}

/** Which operation a pasted request is to become. */
export interface OperationPlan {
  id?: string | undefined;
  title?: string | undefined;
  /** Names for parts of the path, by their place; what is not named stays as it is. */
  placeholders: Record<number, string>;
  /** The addresses of the API that it joins. */
  servers?: readonly string[];
}

/**
 * The path with its placeholders, and the operation, as they stand in an OpenAPI 3.1 document. A request to another
 * address than those of its API gets a server of its own.
 */
export function operationFromPasted(
  pasted: UnderstoodRequest,
  plan: OperationPlan,
  taken: ReadonlySet<string>,
): OperationPlace & { operation: JsonObject } {
  const parameters: JsonObject[] = keyPlaces(pasted.secret);
  const whole = `/${pasted.path
    .split("/")
    .slice(1)
    .map((part, index) => {
      const name = plan.placeholders[index];
      if (name === undefined) return part;
      const value = decoded(part);
      const isExample = !/^([{<:$]|%24)/.test(part) && !looksSecret(value);
      parameters.push({
        name,
        in: "path",
        required: true,
        schema: { type: /^\d+$/.test(value) ? "integer" : "string" },
        ...(isExample ? { example: typedExample(value) } : {}),
      });
      return `{${name}}`;
    })
    .join("/")}`;
  const base = baseOf(pasted, plan.servers ?? []);
  const path = base === undefined ? whole : whole.slice(base.length) || "/";
  for (const [place, values] of [
    ["query", pasted.query],
    ["header", pasted.headers],
  ] as const)
    for (const [name, value] of Object.entries(values))
      parameters.push({
        name,
        in: place,
        schema: schemaOfText(value),
        ...exampleOf(value),
      });
  const id = uniqueId(plan.id ?? derivedId(pasted.method, path), new Set(taken));
  const body = contentOf(pasted.body);
  return {
    path,
    method: pasted.method,
    operation: {
      operationId: id,
      ...(plan.title ? { summary: plan.title } : {}),
      ...(base === undefined && plan.servers?.length ? { servers: [{ url: pasted.server }] } : {}),
      ...(parameters.length > 0 ? { parameters } : {}),
      ...(body ? { requestBody: { required: true, content: body } } : {}),
      responses: { default: { description: "Not described yet." } },
    },
  };
}

/** What of a path the address of its API has already; undefined if the request goes to none of its addresses. */
function baseOf({ server, path }: UnderstoodRequest, servers: readonly string[]): string | undefined {
  return servers
    .filter((one) => one === server || one.startsWith(`${server}/`))
    .map((one) => one.slice(server.length))
    .filter((base) => path === base || path.startsWith(`${base}/`))
    .sort((one, other) => other.length - one.length)[0];
}

/** The places of keys in the path: filled by the credential, and asked of nobody. */
function keyPlaces(secret: FoundSecret | undefined): JsonObject[] {
  const parts = secret?.kind === "api-key" ? secret.parts.filter(({ place }) => place === "path") : [];
  return parts.map(({ name }) => ({
    name,
    in: "path",
    required: true,
    description: "The credential puts its key here.",
    schema: { type: "string", const: `{${name}}` },
  }));
}

/** An example value; what stands for something to fill in is none. */
function exampleOf(value: Json): { example?: Json } {
  if (Array.isArray(value)) return { example: value };
  const text = String(value);
  return isPlaceholder(text) ? {} : { example: typedExample(text) };
}

function typedExample(text: string): Json {
  // 7.0 is a version, or a text that looks like a number: what would be sent otherwise than it was written stays a text.
  if (/^-?(0|[1-9]\d{0,14})(\.\d+)?$/.test(text) && String(Number(text)) === text) return Number(text);
  return text === "true" ? true : text === "false" ? false : text;
}

function schemaOfText(value: Json): JsonObject {
  if (Array.isArray(value)) return { type: "array", items: schemaOfText(value[0] ?? "") };
  const typed = typedExample(String(value));
  if (typeof typed === "number") return { type: Number.isInteger(typed) ? "integer" : "number" };
  return { type: typeof typed === "boolean" ? "boolean" : "string" };
}

function contentOf(body: PastedBody | undefined): JsonObject | undefined {
  if (!body) return undefined;
  switch (body.kind) {
    case "json":
      return { [body.type ?? "application/json"]: { example: jsonExample(body.text) } };
    case "form":
      return {
        "application/x-www-form-urlencoded": { schema: fieldsSchema(body.fields), example: body.fields },
      };
    case "multipart": {
      const texts = Object.entries(body.fields).filter(([, value]) => !isFile(value));
      return {
        "multipart/form-data": {
          schema: fieldsSchema(body.fields),
          ...(texts.length > 0 ? { example: Object.fromEntries(texts) } : {}),
        },
      };
    }
    case "text":
      return { [body.type ?? "text/plain"]: { example: body.text } };
    case "file":
      return { [body.type ?? "application/octet-stream"]: {} };
  }
}

function jsonExample(text: string): Json {
  try {
    return parseJson(text);
  } catch {
    return text;
  }
}

function isFile(value: Json): boolean {
  return isObject(value) && value["file"] !== undefined;
}

function fieldsSchema(fields: JsonObject): JsonObject {
  return {
    type: "object",
    properties: Object.fromEntries(
      Object.entries(fields).map(([name, value]) => [
        name,
        isObject(value) ? { type: "string" } : schemaOfText(value),
      ]),
    ),
  };
}
