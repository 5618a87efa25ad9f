import type { JsonObject } from "../../values/json.js";
import { mediaTypeOf } from "../../http/read-body.js";
import { addField } from "./fields.js";
import { partsOfMultipart } from "./multipart-text.js";

/** A request that somebody pasted, in whatever form. */
export interface PastedRequest {
  /** What it was understood as. */
  form: "curl" | "HTTP request" | "HAR entry" | "fetch" | "URL";
  method: string;
  url: string;
  headers: [name: string, value: string][];
  body?: PastedBody;
  /** User and password that stood beside the request, and the scheme by which they prove themselves, if not Basic. */
  user?: { user: string; password: string; scheme?: "digest" };
  /** What was mended, and what was not understood, in plain words. */
  notes: string[];
}

/** A body by its kind; `type` is its media type as it was written, if it is not the usual one of its kind. */
export type PastedBody =
  | { kind: "json"; text: string; type?: string }
  | { kind: "form"; fields: JsonObject }
  /** Fields are texts, `{ text, mediaType }`, or `{ file, mediaType }` with the name of a file that was not pasted. */
  | { kind: "multipart"; fields: JsonObject }
  | { kind: "text"; text: string; type?: string }
  /** A file that was not pasted. */
  | { kind: "file"; name: string; type?: string };

/** The text is not a request that could be understood; `message` says what is wrong. */
export class NotUnderstood extends Error {
  override name = "NotUnderstood";
}

/** The value of a header, by any case. */
export function headerIn(headers: readonly [string, string][], name: string): string | undefined {
  return headers.find(([field]) => field.toLowerCase() === name.toLowerCase())?.[1];
}

/** A body text in the kind that its media type, or else its look, says. */
export function bodyOf(text: string, contentType: string | undefined): PastedBody {
  const written = contentType?.trim() ?? "";
  const { type } = mediaTypeOf(written);
  const looksLikeJson = /^\s*[[{]/.test(text);
  if (/^(application|text)\/([^;]+\+)?json$/.test(type) || (type === "" && looksLikeJson))
    return { kind: "json", text, ...unless(written, /^(application\/json)?$/i) };
  if (type === "application/x-www-form-urlencoded" && !looksLikeJson)
    return { kind: "form", fields: formOf(text) };
  if (type === "multipart/form-data") {
    const fields = partsOfMultipart(text, written);
    if (fields) return { kind: "multipart", fields };
  }
  return { kind: "text", text, ...unless(written, /^$/) };
}

function unless(type: string, usual: RegExp): { type?: string } {
  return usual.test(type) ? {} : { type };
}

/** The fields of a form (WHATWG URL standard, section 5.1); a name that repeats becomes a list. */
export function formOf(text: string): JsonObject {
  const fields: JsonObject = {};
  for (const pair of text.split("&").filter(Boolean)) {
    const [name = "", value = ""] = [pair.split("=")[0], pair.split("=").slice(1).join("=")].map((part) =>
      decoded((part ?? "").replaceAll("+", " ")),
    );
    addField(fields, name, value);
  }
  return fields;
}

/** Percent-decodes; what is not an encoding stays as it is. */
export function decoded(text: string): string {
  try {
    return decodeURIComponent(text);
  } catch {
    return text;
  }
}

/** Whether a word may be the address of a request, and not the value of an option. */
export function isAddress(word: string): boolean {
  return (
    /^[a-z][a-z0-9+.-]*:\/\//i.test(word) ||
    /^(localhost|[\w-]+(\.[\w-]+)*\.[a-z]{2,}|\[[0-9a-f:]+\])(:\d+)?([/?#]|$)/i.test(word)
  );
}

/** An address as it was meant: a missing scheme is added, and said. Nothing else is changed. */
export function mendedUrl(text: string, notes: string[]): string {
  let url = text.trim();
  const open = /^(\$\{?\w+\}?|<[^>]+>|\{+[^{}]+\}+|%\w+%)/.exec(url)?.[0];
  if (open)
    throw new NotUnderstood(
      `The address begins with ${open}, which stands for something. Put the real address there.`,
    );
  if (/^[a-z][a-z0-9+.-]*:(?!\/\/|\d)/i.test(url))
    throw new NotUnderstood(`"${text}" is not an address that begins with https:// or http://.`);
  if (!/^[a-z][a-z0-9+.-]*:\/\//i.test(url)) {
    const scheme = /^(localhost|127\.|\[::1\])/i.test(url) ? "http" : "https";
    url = `${scheme}://${url.replace(/^\/+/, "")}`;
    notes.push(`The scheme was missing, so ${scheme}:// was added.`);
  }
  if (!/^https?:$/.test(protocolOf(url)))
    throw new NotUnderstood(`"${text}" is not an address that begins with https:// or http://.`);
  return url;
}

function protocolOf(url: string): string {
  try {
    return new URL(url.replace(/\{[^}]*\}/g, "x")).protocol;
  } catch {
    return "";
  }
}

/**
 * The address of a pasted request, read.
 * @throws NotUnderstood
 */
export function pastedUrl(text: string): URL {
  try {
    return new URL(text);
  } catch {
    throw new NotUnderstood(`"${text.slice(0, 80)}" is not an address that can be called.`);
  }
}
