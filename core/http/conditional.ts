import { isObject, own, parseJson, sameJson, type Json, type JsonObject } from "../values/json.js";
import type { HttpRequest } from "./message.js";

/** Whether a request is carried out only while the resource is as its sender last saw it (RFC 9110 section 13.1). */
export function isConditional({ headers }: Pick<HttpRequest, "headers">): boolean {
  return headers.some(([name]) => /^if-(match|none-match|unmodified-since)$/i.test(name));
}

/**
 * The header fields by which a call depends on what an earlier step read (RFC 9110 section 13.1): its ETag, or else its
 * Last-Modified. What has neither makes no condition.
 * @param ifMatch an outcome with its headers, a remembered value with `etag`, or the tag itself; so is the other
 */
export function conditionFields(ifMatch: Json | undefined, ifNoneMatch: Json | undefined): JsonObject {
  return {
    ...(ifMatch === undefined ? {} : fieldsOf(ifMatch, "If-Match", "If-Unmodified-Since")),
    ...(ifNoneMatch === undefined ? {} : fieldsOf(ifNoneMatch, "If-None-Match", "If-Modified-Since")),
  };
}

function fieldsOf(value: Json, byTag: string, byTime: string): JsonObject {
  if (typeof value === "string") return value === "" ? {} : { [byTag]: value };
  const headers = isObject(value) ? (own(value, "headers") ?? value) : {};
  const text = (name: string): string | undefined => {
    const field = isObject(headers) ? own(headers, name) : undefined;
    return typeof field === "string" && field !== "" ? field : undefined;
  };
  const [tag, time] = [text("etag"), text("last-modified")];
  if (tag !== undefined) return { [byTag]: tag };
  return time === undefined ? {} : { [byTime]: time };
}

/** Whether what is there is what was sent: the same text, or the same JSON. Undefined if the body is not one text. */
export function isWhatWasSent(
  sent: HttpRequest["body"],
  there: { body?: Json; text?: Json },
): boolean | undefined {
  if (typeof sent !== "string") return undefined;
  const { body = null, text } = there;
  if (sent === (typeof text === "string" ? text : body)) return true;
  if (!isObject(body) && !Array.isArray(body)) return false;
  try {
    return sameJson(parseJson(sent), body);
  } catch {
    return false;
  }
}
