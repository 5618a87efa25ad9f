import type { TryResult } from "@copper-kettle/contract";
import {
  mask,
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

/** What is known of a try before its answer: what was sent, and the command that does the same. */
export function sentResult(
  { built }: Prepared,
  authorization: ShownAuthorization[],
  took: number,
  masks: Masks,
): Omit<TryResult, "id"> {
  const body = bodyText(built);
  const sent = shownRequest(built, authorization, mask);
  const forShell = shownRequest(built, authorization, secretVariable);
  const maskedHeaders = (headers: [string, string][]) =>
    headers.map(([name, value]): [string, string] => [name, masks.text(value)]);
  const shownBody = body === null ? null : masks.text(body);
  return {
    status: null,
    failure: null,
    took,
    url: masks.text(built.url),
    headers: {},
    cookies: {},
    body: null,
    text: null,
    size: null,
    redirects: [],
    sent: {
      method: built.method,
      url: masks.text(sent.url),
      headers: maskedHeaders(sent.headers),
      body: shownBody,
    },
    curl: printCurl({
      method: built.method,
      url: masks.text(forShell.url),
      headers: maskedHeaders(forShell.headers),
      ...(shownBody === null ? {} : { body: shownBody }),
    }),
    explanation: null,
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

/** What was asked for, as the history keeps it: of a pasted sample only what was sent, so that its key is not in it. */
export function givenForHistory(given: GivenTry, { built }: Prepared, masks: Masks): JsonObject {
  const body = bodyText(built);
  const kept =
    given.sample === undefined
      ? given
      : {
          method: built.method,
          url: built.url,
          headers: Object.fromEntries(built.headers),
          ...(body === null ? {} : { body: { text: body } }),
        };
  return masks.json(parseJson(printJson(kept))) as JsonObject;
}
