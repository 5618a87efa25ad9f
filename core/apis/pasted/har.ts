import { fromBase64, fromUtf8 } from "../../values/encodings.js";
import { isObject, parseJson, type Json, type JsonObject } from "../../values/json.js";
import { addField } from "./fields.js";
import { bodyOf, formOf, mendedUrl, NotUnderstood, type PastedBody, type PastedRequest } from "./request.js";

/** An entry of an HTTP archive (HAR 1.2), a whole archive, or its `request` alone; of several entries the first call. */
export function readHar(text: string): PastedRequest {
  let value: Json;
  try {
    value = parseJson(text);
  } catch (error) {
    throw new NotUnderstood(`This begins like JSON, but cannot be read: ${(error as Error).message}`);
  }
  const notes: string[] = [];
  const request = requestIn(value, notes);
  if (!request || typeof request["url"] !== "string" || typeof request["method"] !== "string")
    throw new NotUnderstood(notArchive(value));
  const headers = pairsOf(request["headers"]).filter(
    ([name]) => !/^(:|host$|content-length$|connection$|accept-encoding$|sec-)/i.test(name),
  );
  const cookies = pairsOf(request["cookies"]);
  // An archive may list its cookies apart, and not among its headers.
  if (cookies.length > 0 && !headers.some(([name]) => /^cookie$/i.test(name)))
    headers.push(["Cookie", cookies.map(([name, cookie]) => `${name}=${cookie}`).join("; ")]);
  const post = isObject(request["postData"]) ? request["postData"] : undefined;
  const body = post && bodyIn(post, notes);
  return {
    form: "HAR entry",
    method: request["method"].toUpperCase(),
    url: mendedUrl(request["url"], notes),
    headers: body?.kind === "multipart" ? headers.filter(([name]) => !/^content-type$/i.test(name)) : headers,
    ...(body ? { body } : {}),
    notes,
  };
}

/** The request of an archive: the first that is a call, and not the load of a page, of its parts, or a question before. */
function requestIn(value: Json, notes: string[]): JsonObject | undefined {
  const log = isObject(value) && isObject(value["log"]) ? value["log"] : undefined;
  const entries = (log && Array.isArray(log["entries"]) ? log["entries"] : [value]).filter(isObject);
  const requests = entries.map((entry) => (isObject(entry["request"]) ? entry["request"] : entry));
  const isCall = (entry: JsonObject, at: number): boolean =>
    requests[at]?.["method"] !== "OPTIONS" && /^(xhr|fetch|undefined)$/.test(String(entry["_resourceType"]));
  const first = Math.max(0, entries.findIndex(isCall));
  if (entries.length > 1)
    notes.push(
      `The archive has ${entries.length} entries. ${first === 0 ? "The first one" : `Entry ${first + 1}, the first call,`} was used.`,
    );
  return requests[first];
}

function bodyIn(post: JsonObject, notes: string[]): PastedBody | undefined {
  const type = typeof post["mimeType"] === "string" ? post["mimeType"] : "";
  const given = typeof post["text"] === "string" ? post["text"] : "";
  if (given !== "") return bodyOf(post["encoding"] === "base64" ? decodedText(given) : given, type);
  const params = (Array.isArray(post["params"]) ? post["params"] : []).filter(isObject);
  if (params.length === 0) return undefined;
  const isForm = !/^multipart\//i.test(type);
  const fields: JsonObject = {};
  for (const { name, value, fileName, contentType } of params) {
    const field =
      typeof fileName === "string"
        ? { file: fileName, ...(typeof contentType === "string" ? { mediaType: contentType } : {}) }
        : isForm
          ? (formOf(`x=${String(value ?? "")}`)["x"] ?? "")
          : String(value ?? "");
    if (typeof fileName === "string")
      notes.push(`The field ${String(name)} is the file ${fileName}. Give it when the operation is called.`);
    addField(fields, String(name), field);
  }
  return { kind: isForm ? "form" : "multipart", fields };
}

function decodedText(text: string): string {
  const bytes = fromBase64(text);
  try {
    return bytes ? fromUtf8(bytes) : text;
  } catch {
    return text;
  }
}

function pairsOf(list: Json | undefined): [string, string][] {
  return (Array.isArray(list) ? list : [])
    .filter(isObject)
    .map(({ name, value }) => [String(name), String(value)]);
}

function notArchive(value: Json): string {
  if (isObject(value) && (value["openapi"] !== undefined || value["swagger"] !== undefined))
    return "This is an OpenAPI document, and not a request. Import it: ckettle api import NAME FILE.";
  if (isObject(value) && Array.isArray(value["item"]))
    return "This is a collection of requests of another program. Copy one request out of it as a curl command, and paste that.";
  return "This is JSON, but no entry of an HTTP archive: it has no request with a method and a url.";
}
