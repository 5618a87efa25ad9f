import { fromBase64, fromUtf8, toBase64, utf8 } from "../../values/encodings.js";
import { isKeyName, maskKeyNames } from "../../values/masking.js";
import { parseJson, type Json, type JsonObject } from "../../values/json.js";
import { derivedId, uniqueId } from "../openapi.js";
import type { OperationPlace } from "../edit.js";
import { decoded, formOf, pastedUrl, type PastedBody, type PastedRequest } from "./request.js";

/** A part of the path that looks as if it changed from call to call. */
export interface PathPart {
  /** Its place among the parts of the path, from 0. */
  index: number;
  value: string;
  /** The name that it is offered under. */
  name: string;
}

/** A key that stood in a pasted request: it goes into a credential, and never into a document. */
export type FoundSecret =
  | { kind: "bearer"; token: string }
  | { kind: "basic"; user: string; password: string }
  | { kind: "api-key"; parts: SampleKey[] };

interface SampleKey {
  place: "header" | "query";
  name: string;
  prefix: string;
  secret: string;
}

/** What was understood of a pasted. */
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

/** An id of an application says who asks, and is not a secret by itself; APIs want it beside their key. */
const withKey = /^(x-)?(api|app|client|access)[-_]?id$/i;

/** Headers that tools add, and that say nothing about the operation. */
const idle =
  /^(user-agent|accept-language|cache-control|pragma|origin|referer|dnt|priority|upgrade-insecure-requests)$/i;

/** Tells the parts of a pasted apart: server, path with what varies in it, query, headers, body, and keys. */
export function understandPasted(pasted: PastedRequest): UnderstoodRequest {
  const notes = [...pasted.notes];
  const url = pastedUrl(pasted.url.replace(/\{([^}]*)\}/g, "%7B$1%7D"));
  const path = decodeBraces(url.pathname);
  const query: JsonObject = {};
  const keys: SampleKey[] = [];
  for (const [name, value] of Object.entries(formOf(url.search.slice(1)))) {
    if ((isKeyName(name) || withKey.test(name)) && typeof value === "string" && value !== "")
      keys.push({ place: "query", name, prefix: "", secret: value });
    else query[name] = value;
  }
  const headers: JsonObject = {};
  let secret: FoundSecret | undefined;
  for (const [name, value] of pasted.headers) {
    if (/^authorization$/i.test(name)) secret = authorizationOf(value) ?? secret;
    else if (isKeyName(name) || withKey.test(name))
      keys.push({ place: "header", name, prefix: "", secret: value });
    else if (!idle.test(name) && !/^(content-type|accept)$/i.test(name)) headers[name] = value;
    else if (/^accept$/i.test(name) && value !== "*/*") headers[name] = value;
  }
  if (pasted.user) secret = { kind: "basic", ...pasted.user };
  if (keys.length > 0) secret = { kind: "api-key", parts: [...(secret ? partsOf(secret) : []), ...keys] };
  if (url.username) {
    secret ??= { kind: "basic", user: decoded(url.username), password: decoded(url.password) };
    notes.push("User and password were removed from the address.");
  }
  if (secret) notes.push("A key was found. It goes into a credential, and never into the document.");
  return {
    form: pasted.form,
    method: pasted.method,
    server: url.origin,
    path,
    variable: variableParts(path),
    query,
    headers,
    body: pasted.body,
    secret,
    notes,
  };
}

/** What a secret adds to a request, as parts: where there are others besides. */
function partsOf(secret: FoundSecret): SampleKey[] {
  const authorization = (prefix: string, text: string): SampleKey[] => [
    { place: "header", name: "Authorization", prefix, secret: text },
  ];
  switch (secret.kind) {
    case "api-key":
      return secret.parts;
    case "bearer":
      return authorization("Bearer ", secret.token);
    case "basic":
      return authorization("Basic ", toBase64(utf8(`${secret.user}:${secret.password}`)));
  }
}

function authorizationOf(value: string): FoundSecret | undefined {
  const [scheme = "", ...rest] = value.split(/\s+/);
  const token = rest.join(" ");
  if (/^bearer$/i.test(scheme) && token) return { kind: "bearer", token };
  if (/^basic$/i.test(scheme) && token) {
    const pair = userPass(token);
    if (pair) return { kind: "basic", ...pair };
  }
  const prefix = token ? `${scheme} ` : "";
  return {
    kind: "api-key",
    parts: [{ place: "header", name: "Authorization", prefix, secret: token || scheme }],
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
    const braces = /^\{(.+)\}$/.exec(part) ?? /^:([A-Za-z_]\w*)$/.exec(part) ?? /^<(.+)>$/.exec(part);
    const value = decoded(part);
    const looks =
      /^\d+$/.test(value) ||
      /^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/i.test(value) ||
      (/\d/.test(value) && /^[A-Za-z0-9_-]{3,}$/.test(value) && !/^v\d+(\.\d+)*$/i.test(value)) ||
      value.includes("@");
    if (!braces && !looks) return [];
    const name = braces?.[1] ?? partName(parts[index - 1] ?? "");
    return [{ index, value, name: name.replace(/[^A-Za-z0-9_.-]+/g, "_") }];
  });
}

/** A name for a part of a path, made from the part before it: `guests` gives `guestId`. */
export function partName(before: string): string {
  const one = before
    .replace(/ies$/, "y")
    .replace(/s$/, "")
    .replace(/[^A-Za-z0-9]+/g, "_");
  return one ? `${one}Id` : "id";
}

function decodeBraces(path: string): string {
  return path.replaceAll("%7B", "{").replaceAll("%7D", "}");
}

/** Which operation a pasted is to become. */
export interface OperationPlan {
  id?: string | undefined;
  title?: string | undefined;
  /** Names for parts of the path, by their place; what is not named stays as it is. */
  placeholders: Record<number, string>;
}

/** The path with its placeholders, and the operation, as they stand in an OpenAPI 3.1 document. */
export function operationFromPasted(
  pasted: UnderstoodRequest,
  plan: OperationPlan,
  taken: ReadonlySet<string>,
): OperationPlace & { operation: JsonObject } {
  const parts = pasted.path.split("/").slice(1);
  const parameters: JsonObject[] = [];
  const path = `/${parts
    .map((part, index) => {
      const name = plan.placeholders[index];
      if (name === undefined) return part;
      const value = decoded(part);
      const isExample = !/^[{<:]/.test(part);
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
  for (const [place, values] of [
    ["query", pasted.query],
    ["header", pasted.headers],
  ] as const)
    for (const [name, value] of Object.entries(values))
      parameters.push({
        name,
        in: place,
        schema: schemaOfText(value),
        example: Array.isArray(value) ? value : typedExample(String(value)),
      });
  const id = uniqueId(plan.id ?? derivedId(pasted.method, path), new Set(taken));
  const body = contentOf(pasted.body);
  return {
    path,
    method: pasted.method.toLowerCase(),
    operation: {
      operationId: id,
      ...(plan.title ? { summary: plan.title } : {}),
      ...(parameters.length > 0 ? { parameters } : {}),
      ...(body ? { requestBody: { required: true, content: body } } : {}),
      responses: { default: { description: "Not described yet." } },
    },
  };
}

function typedExample(text: string): Json {
  if (/^-?(0|[1-9]\d{0,14})(\.\d+)?$/.test(text)) return Number(text);
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
    case "json": {
      try {
        return { "application/json": { example: maskKeyNames(parseJson(body.text)) } };
      } catch {
        return { "application/json": { example: body.text } };
      }
    }
    case "form":
      return {
        "application/x-www-form-urlencoded": {
          schema: fieldsSchema(body.fields),
          example: maskKeyNames(body.fields),
        },
      };
    case "multipart":
      return {
        "multipart/form-data": { schema: fieldsSchema(body.fields), example: maskKeyNames(body.fields) },
      };
    case "text":
      return { "text/plain": { example: body.text } };
  }
}

function fieldsSchema(fields: JsonObject): JsonObject {
  return {
    type: "object",
    properties: Object.fromEntries(
      Object.entries(fields).map(([name, value]) => [name, schemaOfText(value)]),
    ),
  };
}
