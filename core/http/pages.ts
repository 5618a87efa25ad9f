import { percentEncode } from "../values/encodings.js";
import { isObject, own, parseJson, printJson, setOwn, type Json, type JsonObject } from "../values/json.js";
import type { HttpRequest } from "./message.js";

/**
 * The target of the link with the relation `next` in a Link field (RFC 8288 section 3): as it is written, still to be
 * resolved against the request's URL. Undefined if there is none.
 */
export function nextLink(field: string | string[] | undefined): string | undefined {
  const text = Array.isArray(field) ? field.join(", ") : (field ?? "");
  // A link is <target> and its parameters; commas and semicolons may stand inside of both quotes and targets.
  for (const [, target, parameters = ""] of text.matchAll(/<([^>]*)>((?:[^,"]|"(?:\\.|[^"\\])*")*)/g)) {
    const relation = /;\s*rel\s*=\s*(?:"((?:\\.|[^"\\])*)"|([^\s;,"]+))/i.exec(parameters);
    const names = (relation?.[1] ?? relation?.[2] ?? "").toLowerCase().split(/\s+/);
    if (names.includes("next")) return target;
  }
  return undefined;
}

/** A query parameter of a URL, decoded; undefined if the URL has none of that name. */
export function parameterOf(url: string, name: string): string | undefined {
  const query = /\?([^#]*)/.exec(url)?.[1] ?? "";
  const pair = query.split("&").find((one) => decoded(one.split("=", 1)[0] ?? "") === name);
  return pair === undefined
    ? undefined
    : decoded(pair.slice(pair.split("=", 1)[0]?.length ?? 0).replace(/^=/, ""));
}

/** A URL whose query parameter has another value; put behind the others where it was not there. */
export function withParameter(url: string, name: string, value: string): string {
  const [head = "", fragment] = url.split("#", 2);
  const at = head.indexOf("?");
  const pairs = at < 0 ? [] : head.slice(at + 1).split("&");
  const isIt = (pair: string): boolean => decoded(pair.split("=", 1)[0] ?? "") === name;
  const place = pairs.findIndex(isIt);
  const kept = pairs.filter((pair) => pair !== "" && !isIt(pair));
  kept.splice(place < 0 ? kept.length : place, 0, `${percentEncode(name)}=${percentEncode(value)}`);
  const path = at < 0 ? head : head.slice(0, at);
  return `${path}?${kept.join("&")}${fragment === undefined ? "" : `#${fragment}`}`;
}

function decoded(text: string): string {
  try {
    return decodeURIComponent(text.replaceAll("+", " "));
  } catch {
    return text;
  }
}

/** Where a request says which page it asks for. */
export type PagePlace = "query" | "body" | "header";

/** A value that a page is asked for with, at its place: in a JSON body a field by its path, such as `page.after`. */
export interface PageMark {
  in: PagePlace;
  param: string;
  value: Json;
}

/** What a request says now of the page; undefined if it says nothing. */
export function pageMarkOf(request: HttpRequest, place: PagePlace, param: string): string | undefined {
  if (place === "query") return parameterOf(request.url, param);
  if (place === "header")
    return request.headers.find(([name]) => name.toLowerCase() === param.toLowerCase())?.[1];
  let found: Json | undefined = jsonBody(request);
  for (const key of param.split("."))
    found = isObject(found ?? null) ? own(found as JsonObject, key) : undefined;
  return found === undefined || found === null ? undefined : String(found);
}

/** A request that asks for another page. */
export function withPageMark(request: HttpRequest, { in: place, param, value }: PageMark): HttpRequest {
  if (place === "query") return { ...request, url: withParameter(request.url, param, String(value)) };
  if (place === "header")
    return {
      ...request,
      headers: [
        ...request.headers.filter(([name]) => name.toLowerCase() !== param.toLowerCase()),
        [param, String(value)],
      ],
    };
  return { ...request, body: printJson(withField(jsonBody(request) ?? {}, param.split("."), value)) };
}

function jsonBody({ body }: HttpRequest): JsonObject | undefined {
  try {
    const value = typeof body === "string" ? parseJson(body) : null;
    return isObject(value) ? value : undefined;
  } catch {
    return undefined;
  }
}

function withField(object: JsonObject, [key = "", ...rest]: string[], value: Json): JsonObject {
  const copy: JsonObject = {};
  for (const name of Object.keys(object)) setOwn(copy, name, own(object, name) as Json);
  const inner = own(object, key) ?? null;
  setOwn(copy, key, rest.length === 0 ? value : withField(isObject(inner) ? inner : {}, rest, value));
  return copy;
}
