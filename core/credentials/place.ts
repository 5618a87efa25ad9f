import { formEncode, withQuery } from "../http/build.js";
import { headerOf, RequestRefused, type HttpRequest } from "../http/message.js";
import { percentEncode } from "../values/encodings.js";
import { isObject, parseJson, printJson, setOwn, type Json } from "../values/json.js";

/** Where a part of a key stands in a request: as in OpenAPI (`in`), or in the path or the body. */
export type KeyPlace = "header" | "query" | "cookie" | "path" | "body";

/**
 * Puts a value into a request, in place. In the path it takes the place of `{name}`; in the body it becomes a field
 * of the JSON object or of the form.
 * @throws RequestRefused when the request has no such place
 */
export function placeValue(request: HttpRequest, place: KeyPlace, name: string, value: string): void {
  switch (place) {
    case "header":
      setHeader(request, name, value);
      return;
    case "query":
      request.url = withQuery(request.url, { [name]: value });
      return;
    case "cookie":
      addCookie(request, name, percentEncode(value));
      return;
    case "path":
      request.url = inPath(request.url, name, value);
      return;
    case "body":
      request.body = inBody(request, name, value);
  }
}

/** Puts a value into a request as `placeValue` does; a cookie goes back as it came (RFC 6265 section 5.4). */
export function placeAsIs(request: HttpRequest, place: KeyPlace, name: string, value: string): void {
  if (place === "cookie") addCookie(request, name, value);
  else placeValue(request, place, name, value);
}

function addCookie(request: HttpRequest, name: string, value: string): void {
  const known = headerOf(request.headers, "cookie");
  const cookie = `${name}=${value}`;
  setHeader(request, "Cookie", known ? `${known}; ${cookie}` : cookie);
}

/** Sets a header field; one of the same name, in any case, goes. */
export function setHeader(request: HttpRequest, name: string, value: string): void {
  request.headers = request.headers.filter(([field]) => field.toLowerCase() !== name.toLowerCase());
  request.headers.push([name, value]);
}

function inPath(url: string, name: string, value: string): string {
  const [head = "", ...rest] = url.split("?");
  const placed = [`{${name}}`, percentEncode(`{${name}}`)].find((text) => head.includes(text));
  if (!placed) {
    throw new RequestRefused(
      "bad-request",
      `The credential belongs in the path at {${name}}, but the URL has no such place.`,
    );
  }
  return [head.replace(placed, percentEncode(value)), ...rest].join("?");
}

function inBody(request: HttpRequest, name: string, value: string): string {
  const { body } = request;
  if (/^application\/x-www-form-urlencoded\b/i.test(headerOf(request.headers, "content-type") ?? "")) {
    const field = formEncode([[name, value]]);
    return typeof body === "string" && body !== "" ? `${body}&${field}` : field;
  }
  let json: Json;
  try {
    json = typeof body === "string" ? parseJson(body) : {};
  } catch {
    json = null;
  }
  if (!isObject(json)) {
    throw new RequestRefused(
      "bad-request",
      `The credential belongs in the body's field "${name}", but the body is neither a JSON object nor a form.`,
    );
  }
  const filled = { ...json };
  setOwn(filled, name, value);
  return printJson(filled);
}
