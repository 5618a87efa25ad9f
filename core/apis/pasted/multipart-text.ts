import type { Json, JsonObject } from "../../values/json.js";
import { addField } from "./fields.js";

/**
 * The fields of a multipart body (RFC 7578) that was pasted as a text: texts, and of files their names only. Undefined if
 * the text is not in the boundary that its media type says.
 */
export function partsOfMultipart(text: string, contentType: string): JsonObject | undefined {
  const boundary = /boundary=(?:"([^"]+)"|([^\s;]+))/i.exec(contentType);
  const mark = boundary && `--${boundary[1] ?? boundary[2] ?? ""}`;
  if (!mark || !text.includes(mark)) return undefined;
  const fields: JsonObject = {};
  for (const part of text.split(mark).slice(1)) {
    if (part.startsWith("--")) break;
    const [head = ""] = part.split(/\r?\n\r?\n/, 1);
    const name = /\bname="([^"]*)"/i.exec(head)?.[1];
    if (name === undefined) continue;
    const value = part
      .slice(head.length)
      .replace(/^\r?\n\r?\n/, "")
      .replace(/\r?\n$/, "");
    const type = /^content-type:\s*(\S.*?)\s*$/im.exec(head)?.[1];
    const file = /\bfilename="([^"]*)"/i.exec(head)?.[1];
    const typed: JsonObject = type ? { mediaType: type } : {};
    const field: Json = file !== undefined ? { file, ...typed } : type ? { text: value, ...typed } : value;
    addField(fields, name, field);
  }
  return fields;
}
