import type { JsonObject } from "../../values/json.js";

/** A request that somebody pasted, in whatever form. */
export interface PastedRequest {
  /** What it was understood as. */
  form: "curl" | "HTTP request" | "HAR entry" | "fetch" | "URL";
  method: string;
  url: string;
  headers: [name: string, value: string][];
  body?: PastedBody;
  /** User and password that stood beside the request. */
  user?: { user: string; password: string };
  /** What was mended, and what was not understood, in plain words. */
  notes: string[];
}

export type PastedBody =
  | { kind: "json"; text: string }
  | { kind: "form"; fields: JsonObject }
  | { kind: "multipart"; fields: JsonObject }
  | { kind: "text"; text: string };

/** The text is not a request that could be understood; `message` says what is wrong. */
export class NotUnderstood extends Error {
  override name = "NotUnderstood";
}

export const methods = ["GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS", "QUERY"];

/** The value of a header, by any case. */
export function headerIn(headers: readonly [string, string][], name: string): string | undefined {
  return headers.find(([field]) => field.toLowerCase() === name.toLowerCase())?.[1];
}

/** A body text in the kind that its media type, or else its look, says. */
export function bodyOf(text: string, contentType: string | undefined): PastedBody {
  const type = contentType ?? "";
  const looksLikeJson = /^\s*[[{]/.test(text);
  if (/json/i.test(type) || (type === "" && looksLikeJson)) return { kind: "json", text };
  if (/x-www-form-urlencoded/i.test(type) && !looksLikeJson) return { kind: "form", fields: formOf(text) };
  return { kind: "text", text };
}

/** The fields of a form (WHATWG URL standard, section 5.1); a name that repeats becomes a list. */
export function formOf(text: string): JsonObject {
  const fields: JsonObject = {};
  for (const pair of text.split("&").filter(Boolean)) {
    const [name = "", value = ""] = [pair.split("=")[0], pair.split("=").slice(1).join("=")].map((part) =>
      decoded((part ?? "").replaceAll("+", " ")),
    );
    const known = fields[name];
    fields[name] = known === undefined ? value : [known, value].flat();
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

/** An address as it was meant: a missing scheme and a slash at the end are mended, and said. */
export function mendedUrl(text: string, notes: string[]): string {
  let url = text.trim();
  if (/^[a-z][a-z0-9+.-]*:(?!\/\/|\d)/i.test(url))
    throw new NotUnderstood(`"${text}" is not an address that begins with https:// or http://.`);
  if (!/^[a-z][a-z0-9+.-]*:\/\//i.test(url)) {
    url = `https://${url.replace(/^\/+/, "")}`;
    notes.push("The scheme was missing, so https:// was added.");
  }
  if (!/^https?:$/.test(protocolOf(url)))
    throw new NotUnderstood(`"${text}" is not an address that begins with https:// or http://.`);
  const [head = "", ...rest] = url.split(/(?=[?#])/);
  if (/[^/]\/$/.test(head) && !/^https?:\/\/[^/]+\/$/.test(head)) {
    notes.push("The slash at the end of the path was removed.");
    url = head.slice(0, -1) + rest.join("");
  }
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
 * The address of a pasted, read.
 * @throws NotUnderstood
 */
export function pastedUrl(text: string): URL {
  try {
    return new URL(text);
  } catch {
    throw new NotUnderstood(`"${text.slice(0, 80)}" is not an address that can be called.`);
  }
}
