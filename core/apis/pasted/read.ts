import { isObject, parseJson, printJson, type Json } from "../../values/json.js";
import { readCurl } from "./curl.js";
import { bodyOf, headerIn, mendedUrl, methods, NotUnderstood, type PastedRequest } from "./request.js";

/**
 * Reads a request from what somebody pasted: a `curl` command, a raw HTTP request, an entry of an HTTP archive, a
 * `fetch(…)` call, or a bare address, also with a method in front.
 * @throws NotUnderstood
 */
export function readPasted(text: string): PastedRequest {
  const trimmed = text.trim().replace(/^[$>#]\s+(?=curl\b)/, "");
  if (trimmed === "") throw new NotUnderstood("The text is empty.");
  if (/^curl(\.exe)?\s/i.test(trimmed)) return readCurl(trimmed);
  if (/^(await\s+)?(window\.)?fetch\s*\(/.test(trimmed)) return readFetch(trimmed);
  if (trimmed.startsWith("{") || trimmed.startsWith("[")) return readHar(trimmed);
  const firstLine = trimmed.split(/\r?\n/, 1)[0] as string;
  if (
    /^[A-Z]+\s+\S+(\s+HTTP\/[\d.]+)?$/.test(firstLine) &&
    (trimmed.includes("\n") || / HTTP\//.test(firstLine))
  )
    return readHttp(trimmed);
  return readUrl(trimmed);
}

function readUrl(text: string): PastedRequest {
  const notes: string[] = [];
  const [first = "", rest] = text.split(/\s+/, 2);
  const isMethod = methods.includes(first.toUpperCase()) && rest !== undefined;
  // Quotes and brackets around an address, and what ends the sentence that it stood in.
  const address = (isMethod ? (rest as string) : text).trim().replace(/^["'<]+|["'>;,]+$/g, "");
  if (/\s/.test(address.trim()))
    throw new NotUnderstood(
      "This is neither a curl command, a raw HTTP request, an HTTP archive, a fetch(…) call nor one address.",
    );
  if (isMethod && first !== first.toUpperCase())
    notes.push(`The method is written in capitals: ${first.toUpperCase()}.`);
  return {
    form: "URL",
    method: isMethod ? first.toUpperCase() : "GET",
    url: mendedUrl(address, notes),
    headers: [],
    notes,
  };
}

/** A raw HTTP request (RFC 9112); its address from `Host` where the target is a path. */
function readHttp(text: string): PastedRequest {
  const [head = "", ...rest] = text.split(/\r?\n\r?\n/);
  const [line = "", ...fields] = head.split(/\r?\n/);
  const [method = "", target = ""] = line.split(/\s+/);
  const notes: string[] = [];
  const headers = fields.flatMap((field): [string, string][] => {
    const match = /^([^:\s]+)\s*:\s*(.*)$/.exec(field);
    if (match) return [[match[1] as string, (match[2] as string).trim()]];
    if (field.trim() !== "") notes.push(`The line "${field.trim()}" is not a header, and was left out.`);
    return [];
  });
  const host = headerIn(headers, "host");
  if (!/^https?:/.test(target) && host === undefined)
    throw new NotUnderstood(
      'The request names only a path, and has no "Host" header that says where it goes.',
    );
  const body = rest.join("\n\n").trim();
  const kept = headers.filter(([name]) => !/^(host|content-length|connection|accept-encoding)$/i.test(name));
  return {
    form: "HTTP request",
    method: method.toUpperCase(),
    url: mendedUrl(/^https?:/.test(target) ? target : `https://${host}${target}`, notes),
    headers: kept,
    ...(body ? { body: bodyOf(body, headerIn(headers, "content-type")) } : {}),
    notes,
  };
}

/** An entry of an HTTP archive (HAR 1.2), a whole archive, or its `request` alone; of several entries the first. */
function readHar(text: string): PastedRequest {
  let value: Json;
  try {
    value = parseJson(text);
  } catch (error) {
    throw new NotUnderstood(`This begins like JSON, but cannot be read: ${(error as Error).message}`);
  }
  const notes: string[] = [];
  const log = isObject(value) && isObject(value["log"]) ? value["log"] : undefined;
  const entries = log && Array.isArray(log["entries"]) ? log["entries"] : [value];
  if (entries.length > 1) notes.push(`The archive has ${entries.length} entries. The first one was used.`);
  const [entry] = entries;
  const request = isObject(entry) && isObject(entry["request"]) ? entry["request"] : entry;
  if (!isObject(request) || typeof request["url"] !== "string" || typeof request["method"] !== "string")
    throw new NotUnderstood(
      "This is JSON, but no entry of an HTTP archive: it has no request with a method and a url.",
    );
  const headers = (Array.isArray(request["headers"]) ? request["headers"] : []).flatMap(
    (header): [string, string][] =>
      isObject(header) &&
      !/^(:|host$|content-length$|connection$|accept-encoding$|sec-|cookie$)/i.test(String(header["name"]))
        ? [[String(header["name"]), String(header["value"])]]
        : [],
  );
  const post = isObject(request["postData"]) ? request["postData"] : undefined;
  const body = typeof post?.["text"] === "string" ? post["text"] : "";
  return {
    form: "HAR entry",
    method: request["method"].toUpperCase(),
    url: mendedUrl(request["url"], notes),
    headers,
    ...(body ? { body: bodyOf(body, String(post?.["mimeType"] ?? "")) } : {}),
    notes,
  };
}

/** A `fetch("…", { method, headers, body })` call, as browsers copy it: its options must be plain JSON-like data. */
function readFetch(text: string): PastedRequest {
  const match = /fetch\s*\(\s*(["'`])(.*?)\1\s*(?:,\s*([\s\S]*?))?\)\s*;?\s*$/.exec(text);
  if (!match) throw new NotUnderstood('The fetch call must have the form fetch("https://…", { … }).');
  const notes: string[] = [];
  const options = match[3] ? plainObject(match[3]) : {};
  const given = isObject(options["headers"]) ? options["headers"] : {};
  const headers = Object.entries(given)
    .filter(([name]) => !/^(sec-|accept-encoding$)/i.test(name))
    .map(([name, value]): [string, string] => [name, String(value)]);
  const { body } = options;
  const type = headerIn(headers, "content-type");
  return {
    form: "fetch",
    method: String(options["method"] ?? "GET").toUpperCase(),
    url: mendedUrl(match[2] as string, notes),
    headers,
    ...(typeof body === "string" && body !== "" ? { body: bodyOf(body, type) } : {}),
    notes,
  };
}

/** An object literal of plain data: JSON, or with bare names, single quotes and JSON.stringify around its body. */
function plainObject(text: string): Record<string, Json> {
  // What is JSON already is taken as it is: the mending below would meddle with texts in it.
  for (const attempt of [() => text, () => jsonLike(withoutStringify(text))]) {
    try {
      const value = parseJson(attempt());
      if (isObject(value)) return value;
    } catch {
      // the next attempt, or the sentence below
    }
  }
  throw new NotUnderstood(
    "The options of the fetch call are more than plain data; paste what is really sent.",
  );
}

/** `JSON.stringify({ … })` as the text that it makes. */
function withoutStringify(text: string): string {
  return text.replace(/JSON\.stringify\(\s*([\s\S]*?)\s*\)(?=\s*[,}])/g, (_whole, inner: string) =>
    JSON.stringify(printJson(parseJson(jsonLike(inner)))),
  );
}

function jsonLike(text: string): string {
  return text
    .replace(/'((?:[^'\\]|\\.)*)'/g, (_whole, inner: string) => JSON.stringify(inner.replaceAll("\\'", "'")))
    .replace(/([{,]\s*)([A-Za-z_][\w-]*)\s*:/g, '$1"$2":')
    .replace(/,\s*([}\]])/g, "$1");
}
