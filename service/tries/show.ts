import type { TryResult } from "@copper-kettle/contract";
import {
  isKeyName,
  isObject,
  keyNamed,
  mask,
  maskKeyNames,
  parseJson,
  printCurl,
  printJson,
  secretVariable,
  type BuiltRequest,
  type Json,
  type JsonObject,
  type ShownAuthorization,
} from "@copper-kettle/core";
import type { GivenTry, Prepared } from "./prepare.js";

export interface Masks {
  text(text: string): string;
  json(value: Json): Json;
}

/** What is known of a try before its response: what was sent, and the command that does the same. */
export function sentResult(
  { built }: Prepared,
  authorization: ShownAuthorization[],
  took: number,
  masks: Masks,
): Omit<TryResult, "id"> {
  const body = bodyText(built);
  const sent = shownRequest(built, authorization, mask);
  const forShell = shownRequest(built, authorization, secretVariable);
  const added = new Set(authorization.map(({ name }) => name));
  const maskedHeaders = (headers: [string, string][]) =>
    headers.map(([name, value]): [string, string] => [
      name,
      // What the credential added shows its scheme, and is masked already.
      isKeyName(name) && !added.has(name) ? mask : masks.text(value),
    ]);
  const shownBody = body === null ? null : masks.text(maskKeyBody(body));
  return {
    status: null,
    failure: null,
    took,
    url: masks.text(maskKeyQuery(built.url)),
    headers: {},
    cookies: {},
    body: null,
    text: null,
    size: null,
    redirects: [],
    sent: {
      method: built.method,
      url: masks.text(maskKeyQuery(sent.url)),
      headers: maskedHeaders(sent.headers),
      body: shownBody,
    },
    curl: printCurl({
      method: built.method,
      url: masks.text(maskKeyQuery(forShell.url)),
      headers: maskedHeaders(forShell.headers),
      ...(shownBody === null ? {} : { body: shownBody }),
    }),
    explanation: null,
    link: null,
    drift: [],
  };
}

/** The body as people read it; bytes are only named. */
function bodyText({ body }: BuiltRequest): string | null {
  if (body === undefined) return null;
  if (typeof body === "string") return body;
  return body.pieces
    .map((piece) =>
      typeof piece === "string"
        ? piece
        : "base64" in piece
          ? `[${Buffer.from(piece.base64, "base64").length} bytes]`
          : `[the file ${piece.file}]`,
    )
    .join("");
}

/** The request with what was added to prove who calls, its secrets as `secret`. */
function shownRequest(
  { url, headers }: BuiltRequest,
  authorization: ShownAuthorization[],
  secret: string,
): { url: string; headers: [string, string][] } {
  const shown = authorization.map(({ place, name, value }) => ({
    place,
    name,
    value: value.replaceAll(mask, secret),
  }));
  const query = shown.filter(({ place }) => place === "query");
  const added = query.map(({ name, value }) => `${name}=${value}`).join("&");
  const more = shown
    .filter(({ place }) => place === "header" || place === "cookie")
    .map(({ place, name, value }): [string, string] =>
      place === "header" ? [name, value] : ["Cookie", `${name}=${value}`],
    );
  return {
    url: added ? `${url}${url.includes("?") ? "&" : "?"}${added}` : url,
    headers: [...headers, ...more],
  };
}

/** What was asked for, as the history keeps it: of a pasted request only what was sent, so that its key is not in it. */
export function givenForHistory(given: GivenTry, { built }: Prepared, masks: Masks): JsonObject {
  const body = bodyText(built);
  const kept =
    given.pasted === undefined
      ? given
      : {
          method: built.method,
          url: built.url,
          headers: Object.fromEntries(built.headers),
          ...(body === null ? {} : { body: { text: body } }),
        };
  const masked = maskKeyNames(masks.json(parseJson(printJson(kept)))) as JsonObject;
  if (typeof masked["url"] === "string") masked["url"] = maskKeyQuery(masked["url"]);
  const text = isObject(masked["body"]) ? masked["body"]["text"] : undefined;
  if (typeof text === "string")
    masked["body"] = { ...(masked["body"] as JsonObject), text: maskKeyBody(text) };
  return masked;
}

/** The secrets of a request that somebody typed or pasted: by the names of its fields, as it is sent. */
export function typedSecrets({ url, headers, body }: BuiltRequest): string[] {
  const { searchParams, password } = new URL(url);
  const sent = headers.flatMap(([name, value]) =>
    isKeyName(name) ? [value, ...value.split(/[\s;=,]+/)] : [],
  );
  const query = [...searchParams].flatMap(([name, value]) => (isKeyName(name) ? [value] : []));
  return [...sent, ...query, password, ...(typeof body === "string" ? bodySecrets(body) : [])].filter(
    Boolean,
  );
}

function bodySecrets(text: string): string[] {
  const json = jsonOf(text);
  if (json !== undefined) return keyNamed(json);
  return [...new URLSearchParams(text)].flatMap(([name, value]) => (isKeyName(name) ? [value] : []));
}

/** A body with what stands under the names of keys masked: of JSON, and of a form. */
function maskKeyBody(text: string): string {
  const json = jsonOf(text);
  if (json === undefined) return maskKeyPairs(text);
  return keyNamed(json).length === 0 ? text : printJson(maskKeyNames(json));
}

function jsonOf(text: string): Json | undefined {
  try {
    const json = parseJson(text);
    return typeof json === "object" ? json : undefined;
  } catch {
    return undefined;
  }
}

/** A URL without the secrets in its query, and without a password in front of its host. */
function maskKeyQuery(url: string): string {
  const at = url.indexOf("?");
  const head = (at < 0 ? url : url.slice(0, at)).replace(/^([a-z+.-]+:\/\/)[^/@]*@/i, `$1${mask}@`);
  return at < 0 ? head : `${head}?${maskKeyPairs(url.slice(at + 1))}`;
}

function maskKeyPairs(text: string): string {
  return text.replace(/([^&=?#\s]+)=([^&#\s]*)/g, (whole, name: string, value: string) =>
    value !== "" && isKeyName(name) && !value.includes(secretVariable) ? `${name}=${mask}` : whole,
  );
}
