import { isObject, parseJson, sameJson, type Json } from "../values/json.js";
import type { HttpRequest } from "./message.js";

/** Whether a request is carried out only while the resource is as its sender last saw it (RFC 9110 section 13.1). */
export function isConditional({ headers }: Pick<HttpRequest, "headers">): boolean {
  return headers.some(([name]) => /^if-(match|none-match|unmodified-since)$/i.test(name));
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
