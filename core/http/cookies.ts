import type { JsonObject } from "../values/json.js";

/** Names and values of cookies that a response sets (RFC 6265 section 4.1). */
export function cookiesOf(field: string | string[] | undefined): JsonObject {
  const cookies: JsonObject = {};
  for (const line of field === undefined ? [] : [field].flat()) {
    const [pair = ""] = line.split(";", 1);
    const at = pair.indexOf("=");
    if (at > 0) cookies[pair.slice(0, at).trim()] = pair.slice(at + 1).trim();
  }
  return cookies;
}
