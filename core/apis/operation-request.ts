import type { RequestParts } from "../http/build.js";
import { dotSegment } from "../http/dot-segments.js";
import { RequestRefused } from "../http/message.js";
import { percentEncode } from "../values/encodings.js";
import { Exact, isObject, own, printJson, setOwn, type Json, type JsonObject } from "../values/json.js";
import type { Operation, Parameter } from "./openapi.js";
import { requireFit, valueOf } from "./parameter-faults.js";

/**
 * What a call of an operation sends, without its body: parameters by name go where the document says, encoded by their
 * style; defaults are filled, fixed ones enforced, required ones asked for.
 * @param server the address of the API, without a slash at its end
 * @param given values by the parameters' names; null leaves one out
 * @throws RequestRefused (`bad-request`) with the parameter's title, before anything is sent
 */
export function operationRequest(
  operation: Operation,
  server: string,
  given: JsonObject,
): Pick<RequestParts, "method" | "url" | "headers" | "cookiePairs"> {
  requireFit(operation, given);
  // A fragment tells operations of one address apart in some documents, and is never sent (RFC 3986 section 3.5).
  let path = operation.path.split("#", 1)[0] as string;
  const query: string[] = [];
  const headers: JsonObject = {};
  const cookiePairs: string[] = [];
  for (const parameter of operation.parameters) {
    const value = valueOf(parameter, given);
    if (value === undefined) continue;
    switch (parameter.in) {
      case "path":
        path = path.replaceAll(`{${wireName(parameter)}}`, () => inPath(parameter, value));
        requireNoDots(path, operation, parameter);
        break;
      case "query":
        query.push(...inQuery(parameter, value));
        break;
      case "header":
        headers[wireName(parameter)] = simple(parameter, value, (text) => text);
        break;
      case "cookie":
        cookiePairs.push(...inQuery(parameter, value));
    }
  }
  const joint = server.includes("?") || path.includes("?") ? "&" : "?";
  return {
    method: operation.method,
    url: `${server}${path}${query.length > 0 ? joint + query.join("&") : ""}`,
    headers,
    cookiePairs,
  };
}

function wireName({ name, sentAs = name }: Parameter): string {
  return sentAs;
}

/** A value may fill its part of the path, and not lead to another one: an id of `..` would make a call of its parent. */
function requireNoDots(path: string, { path: written, id }: Operation, { name, title }: Parameter): void {
  const dots = dotSegment(path);
  if (dots !== undefined && dotSegment(written) === undefined)
    throw new RequestRefused(
      "bad-request",
      `The parameter "${title === name ? name : `${title} (${name})`}" of ${id} makes a part of the path "${dots}", which would change the path.`,
    );
}

/**
 * The fields of a form as the document of an operation wants them written (OpenAPI 3.1, section 4.8.15): `encoding` says
 * the style; without one, what is an object goes as JSON (OpenAPI 3.0.4, section 4.7.15).
 */
export function formFields({ body }: Operation, fields: JsonObject): JsonObject {
  const form = body?.content.find(({ type }) => /^application\/x-www-form-urlencoded\b/i.test(type));
  const made: JsonObject = {};
  for (const name of Object.keys(fields)) {
    const value = own(fields, name) as Json;
    const said = own(form?.encoding ?? {}, name);
    const { style = "form", explode = style === "form", contentType } = isObject(said) ? said : {};
    const isPlain = Array.isArray(value) ? !value.some(isDeep) : !isDeep(value);
    if (style === "deepObject") for (const [key, inner] of deepPairs(name, value)) setOwn(made, key, inner);
    else if (isObject(value) && isObject(said) && contentType === undefined)
      for (const [key, inner] of Object.entries(value))
        setOwn(
          made,
          explode ? key : name,
          explode ? inner : Object.entries(value).flat().map(text).join(","),
        );
    else if (!isPlain)
      setOwn(
        made,
        name,
        Array.isArray(value)
          ? value.map((item) => (isDeep(item) ? printJson(item) : item))
          : printJson(value),
      );
    else if (Array.isArray(value) && explode === false)
      setOwn(
        made,
        name,
        value.map(text).join({ spaceDelimited: " ", pipeDelimited: "|" }[String(style)] ?? ","),
      );
    else setOwn(made, name, value);
  }
  return made;
}

function isDeep(value: Json): boolean {
  return Array.isArray(value) || isObject(value);
}

/**
 * Names and values of the style `deepObject`: `filter[hut]=corrie`. What a list in it looks like the standard leaves open:
 * `tags[]=a` for plain values, `rows[0][id]=7` for objects is what most servers read.
 */
function deepPairs(name: string, value: Json): [string, Json][] {
  if (Array.isArray(value))
    return value.some(isDeep)
      ? value.flatMap((item, index) => deepPairs(`${name}[${index}]`, item))
      : [[`${name}[]`, value]];
  if (!isObject(value)) return [[name, value]];
  return Object.entries(value).flatMap(([key, inner]) =>
    inner === null ? [] : deepPairs(`${name}[${key}]`, inner),
  );
}

/** The media type that a body of some kind has, where the operation's document says a special one, as `…+json`. */
export function bodyType({ body }: Operation, kind: string): string | undefined {
  const wanted = { json: /[/+]json$/i, xml: /[/+]xml$/i, text: /^text\//i, file: /./ }[kind];
  // With its parameters: a version may be one of them.
  const types = (body?.content ?? []).map(({ type }) => type.trim());
  return (
    wanted && types.find((type) => wanted.test((type.split(";")[0] as string).trim()) && !type.includes("*"))
  );
}

function text(value: Json): string {
  return typeof value === "object" && value !== null && !(value instanceof Exact)
    ? printJson(value)
    : String(value);
}

type Encode = (text: string) => string;

/** The style `simple` (RFC 6570 section 3.2.2), which is also that of headers. */
function simple({ explode, style }: Parameter, value: Json, encode: Encode): string {
  if (style === "json") return encode(printJson(value));
  if (Array.isArray(value)) return value.map((item) => encode(text(item))).join(",");
  if (isObject(value)) return members(value, explode ? "=" : ",", encode).join(",");
  return encode(text(value));
}

/** The fields of an object, each as its name, a sign and its value. */
function members(value: JsonObject, sign: string, encode: Encode): string[] {
  return Object.entries(value)
    .filter(([, inner]) => inner !== null)
    .map(([key, inner]) => `${encode(key)}${sign}${encode(text(inner))}`);
}

/** Path parameters: `simple`, `label` (`.a.b`) and `matrix` (`;name=a`), as in RFC 6570. */
function inPath(parameter: Parameter, value: Json): string {
  const { style, explode } = parameter;
  const name = wireName(parameter);
  if (style !== "label" && style !== "matrix") return simple(parameter, value, percentEncode);
  const parts = Array.isArray(value)
    ? value.map((item) => percentEncode(text(item)))
    : isObject(value)
      ? members(value, explode ? "=" : ",", percentEncode)
      : [percentEncode(text(value))];
  if (style === "label") return `.${parts.join(explode ? "." : ",")}`;
  if (!explode) return `;${name}=${parts.join(",")}`;
  return parts.map((part) => (isObject(value) ? `;${part}` : `;${name}=${part}`)).join("");
}

const between: Record<string, string> = { form: ",", spaceDelimited: "%20", pipeDelimited: "%7C" };

/** Query parameters and cookies: `form`, `spaceDelimited`, `pipeDelimited`, `deepObject`; JSON if the document says `content`. */
function inQuery(parameter: Parameter, value: Json): string[] {
  const { style, explode, allowReserved } = parameter;
  const name = wireName(parameter);
  const encode: Encode = allowReserved ? keepReserved : percentEncode;
  const pair = (key: string, inner: string) => `${percentEncode(key)}=${inner}`;
  if (style === "json") return [pair(name, encode(printJson(value)))];
  if (style === "deepObject")
    return deepPairs(name, value).flatMap(([key, inner]) =>
      [inner].flat().map((one) => pair(key, encode(text(one)))),
    );
  if (Array.isArray(value)) {
    const items = value.map((item) => encode(text(item)));
    if (explode) return items.map((item) => pair(name, item));
    return items.length === 0 ? [] : [pair(name, items.join(between[style] ?? ","))];
  }
  if (isObject(value)) {
    const sign = between[style] ?? ",";
    if (explode)
      return Object.entries(value).flatMap(([key, inner]) =>
        inner === null ? [] : [pair(key, encode(text(inner)))],
      );
    return [pair(name, members(value, sign, encode).join(sign))];
  }
  return [pair(name, encode(text(value)))];
}

/** Percent-encodes but for reserved characters (RFC 3986 section 2.2). */
function keepReserved(value: string): string {
  return percentEncode(value).replace(/%(3A|2F|3F|23|5B|5D|40|21|24|26|27|28|29|2A|2B|2C|3B|3D)/g, (code) =>
    decodeURIComponent(code),
  );
}
