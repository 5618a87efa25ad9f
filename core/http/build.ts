import { percentEncode } from "../values/encodings.js";
import { isObject, kindOf, own, printJson, type Json, type JsonObject } from "../values/json.js";
import { bodyPieces, multipartBody, type Piece } from "./multipart.js";
import { printXml } from "./xml.js";
import { headerOf, RequestRefused, type HttpRequest } from "./message.js";

/** The parts of a request, with every template already rendered. */
export interface RequestParts {
  method: string;
  /** An absolute http or https URL; it may have a query of its own. */
  url: string;
  /** Added to the URL's query: a list repeats the name, null leaves it out. */
  query?: JsonObject;
  headers?: JsonObject;
  cookies?: JsonObject;
  /** More cookies, each as `name=value`, encoded already. */
  cookiePairs?: string[];
  body?: RequestBody;
}

/** A body in one of its kinds. A form's list repeats the name, null leaves it out. */
export type RequestBody =
  | { json: Json }
  | { form: JsonObject }
  | { multipart: JsonObject }
  | { text: string }
  /** A text as it is; an object as the XML of which it would be read. */
  | { xml: Json }
  /** A list of values, one a line. */
  | { "json-lines": Json }
  | { graphql: JsonObject }
  | { file: Json };

/** A request whose body may still be in pieces, of which some are files: plain data, as the journal keeps it. */
export type BuiltRequest = Omit<HttpRequest, "body"> & { body?: string | { pieces: Piece[] } };

const token = /^[!#$%&'*+\-.^_`|~0-9A-Za-z]+$/;

/**
 * Builds the request that will be sent, without its authorization.
 * @throws RequestRefused with code `bad-request` when a part cannot stand in a request
 */
export function buildRequest(parts: RequestParts): BuiltRequest {
  const url = withQuery(parts.url, parts.query ?? {});
  checkUrl(url);
  const headers: [string, string][] = [];
  for (const [name, value] of Object.entries(parts.headers ?? {})) {
    if (!token.test(name))
      throw new RequestRefused("bad-request", `"${name}" cannot be the name of a header.`);
    for (const text of texts(value, `The header ${name}`)) headers.push([name, checkHeaderValue(name, text)]);
  }
  const cookies = Object.entries(parts.cookies ?? {}).flatMap(([name, value]) =>
    texts(value, `The cookie ${name}`).map((text) => `${name}=${percentEncode(text)}`),
  );
  cookies.unshift(...(parts.cookiePairs ?? []));
  if (cookies.length > 0) headers.push(["Cookie", cookies.join("; ")]);
  if (!headerOf(headers, "accept")) headers.push(["Accept", "application/json, */*;q=0.8"]);
  const request: BuiltRequest = { method: parts.method, url, headers };
  if (parts.body) {
    const { body, type } = printedBody(parts.body);
    request.body = body;
    if (!headerOf(headers, "content-type")) headers.push(["Content-Type", type]);
  }
  return request;
}

/** The media type of a body in one of its kinds. */
export function bodyMediaType(kind: string): string {
  return (
    {
      json: "application/json",
      graphql: "application/json",
      "json-lines": "application/x-ndjson",
      form: "application/x-www-form-urlencoded",
      multipart: "multipart/form-data",
      xml: "application/xml",
      text: "text/plain",
    }[kind] ?? "application/octet-stream"
  );
}

/** A body as it goes over the wire, and its media type. */
function printedBody(body: RequestBody): { body: string | { pieces: Piece[] }; type: string } {
  if ("json" in body) return { body: printJson(body.json), type: "application/json" };
  if ("form" in body) {
    const pairs = Object.entries(body.form).flatMap(([name, value]) =>
      texts(value, `The form's field ${name}`).map((text) => [name, text] as [string, string]),
    );
    return { body: formEncode(pairs), type: "application/x-www-form-urlencoded" };
  }
  if ("multipart" in body) return multipartBody(body.multipart);
  if ("file" in body) return bodyPieces(body.file);
  if ("xml" in body)
    return { body: typeof body.xml === "string" ? body.xml : printXml(body.xml), type: "application/xml" };
  if ("json-lines" in body) return { body: printLines(body["json-lines"]), type: "application/x-ndjson" };
  if ("graphql" in body) return { body: printJson(body.graphql), type: "application/json" };
  return { body: body.text, type: "text/plain; charset=utf-8" };
}

function printLines(value: Json): string {
  if (!Array.isArray(value))
    throw new RequestRefused(
      "bad-request",
      `A body of JSON lines is made of a list; this is ${kindOf(value)}.`,
    );
  return value.map((item) => `${printJson(item)}\n`).join("");
}

/** The serialisation of the WHATWG URL standard (section 5.2): a space is `+`. */
export function formEncode(pairs: [string, string][]): string {
  const encode = (text: string) =>
    percentEncode(text).replaceAll("%20", "+").replaceAll("~", "%7E").replaceAll("%2A", "*");
  return pairs.map(([name, value]) => `${encode(name)}=${encode(value)}`).join("&");
}

/** A URL with more query parameters behind those that it has. */
export function withQuery(url: string, query: JsonObject): string {
  const pairs: string[] = [];
  for (const name of Object.keys(query)) {
    for (const text of texts(own(query, name) as Json, `The query parameter ${name}`)) {
      pairs.push(`${percentEncode(name)}=${percentEncode(text)}`);
    }
  }
  if (pairs.length === 0) return url;
  const [head = "", fragment] = url.split("#", 2);
  const joint = !head.includes("?") ? "?" : /[?&]$/.test(head) ? "" : "&";
  return `${head}${joint}${pairs.join("&")}${fragment === undefined ? "" : `#${fragment}`}`;
}

function texts(value: Json, what: string): string[] {
  if (value === null) return [];
  if (Array.isArray(value)) return value.flatMap((item) => texts(item, what));
  if (isObject(value)) {
    throw new RequestRefused(
      "bad-request",
      `${what} cannot be an ${kindOf(value)}; json.print(…) turns it into text.`,
    );
  }
  return [String(value)];
}

function checkHeaderValue(name: string, value: string): string {
  // Field values (RFC 9110 section 5.5): no control characters, and only what one byte holds.
  for (const character of value) {
    const code = character.codePointAt(0) as number;
    if ((code < 32 && code !== 9) || code === 127) {
      throw new RequestRefused(
        "bad-request",
        `The header ${name} contains a line end or another control character.`,
      );
    }
    if (code > 255) {
      throw new RequestRefused(
        "bad-request",
        `The header ${name} contains "${character}", which a header cannot carry. urlEncode(…) or base64.encode(…) may be what its API wants.`,
      );
    }
  }
  return value.trim();
}

function checkUrl(text: string): void {
  let url: URL;
  try {
    url = new URL(text);
  } catch {
    const missing = !/^[a-z][a-z0-9+.-]*:/i.test(text) ? " It must begin with https:// or http://." : "";
    throw new RequestRefused("bad-request", `"${text}" is not a URL.${missing}`);
  }
  if (url.protocol !== "http:" && url.protocol !== "https:") {
    throw new RequestRefused(
      "bad-request",
      `"${url.protocol}//" cannot be called; only https:// and http:// can.`,
    );
  }
  if (url.username || url.password) {
    throw new RequestRefused(
      "bad-request",
      "The URL contains a user or a password. Put them into a credential and name it in `using`.",
    );
  }
}
