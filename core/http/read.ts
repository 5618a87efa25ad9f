import type { JsonSyntaxError } from "../values/json.js";
import { parseJson, type Json } from "../values/json.js";
import type { HttpResponse } from "./message.js";

/** An answer's body as a value. */
export interface ReadBody {
  /** JSON as its value, text as text, an empty body as null. Undefined for other bytes, which become a file value. */
  body: Json | undefined;
  /** What was wrong with the body, where its media type promised something that it does not hold. */
  fault?: string;
}

/** The media type and charset of a Content-Type field (RFC 9110 section 8.3), in lower case. */
export function mediaTypeOf(contentType: string | string[] | undefined): { type: string; charset?: string } {
  const text = Array.isArray(contentType) ? (contentType[0] ?? "") : (contentType ?? "");
  const [type = "", ...parameters] = text.split(";");
  const charset = parameters
    .map((part) => /^\s*charset\s*=\s*"?([^"\s]+)"?\s*$/i.exec(part)?.[1])
    .find(Boolean);
  return { type: type.trim().toLowerCase(), ...(charset ? { charset: charset.toLowerCase() } : {}) };
}

const jsonType = /^(application|text)\/([^;]+\+)?json$/;
const textType = /^(text\/|application\/([^;]+\+)?(xml|javascript|x-www-form-urlencoded|yaml|csv)$)/;

/** Reads the body of an answer by its media type. */
export function readBody(response: HttpResponse): ReadBody {
  if (response.body.length === 0) return { body: null };
  const { type, charset } = mediaTypeOf(response.headers["content-type"]);
  if (jsonType.test(type)) return readJson(decodeText(response.body, "utf-8"), type);
  if (textType.test(type)) return { body: decodeText(response.body, charset ?? "utf-8") };
  if (type === "") return looksLikeText(response.body);
  return { body: undefined };
}

function readJson(text: string, type: string): ReadBody {
  try {
    return { body: parseJson(text) };
  } catch (error) {
    const at = (error as JsonSyntaxError).position;
    const where =
      at === undefined
        ? ""
        : at >= text.length
          ? " breaks off at its end"
          : ` is broken at character ${at + 1}`;
    return {
      body: text,
      fault: `The answer says that it is ${type}, but its JSON${where || " cannot be read"}.`,
    };
  }
}

/** Text in a charset; one that is not known is read as UTF-8. */
export function decodeText(bytes: Uint8Array, charset: string): string {
  try {
    return new TextDecoder(charset).decode(bytes);
  } catch {
    return new TextDecoder("utf-8").decode(bytes);
  }
}

/** An answer without a Content-Type: JSON where it parses, text where it is UTF-8, else bytes. */
function looksLikeText(bytes: Uint8Array): ReadBody {
  try {
    const text = new TextDecoder("utf-8", { fatal: true }).decode(bytes);
    try {
      return { body: parseJson(text) };
    } catch {
      return { body: text };
    }
  } catch {
    return { body: undefined };
  }
}
