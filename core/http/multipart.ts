import { fromBase64, utf8 } from "../values/encodings.js";
import { sha256Hex } from "../values/digest.js";
import { isObject, own, printJson, type Json, type JsonObject } from "../values/json.js";
import { joinedBytes, type BodyPieces } from "./body-pieces.js";
import { RequestRefused, type HttpRequest } from "./message.js";

/** A part of a body as it goes over the wire: text as UTF-8, bytes in Base64, or a file that the service keeps. */
export type Piece = string | { base64: string } | { file: string };

/** Something that is sent as bytes, with what is said of it. */
interface Sent {
  piece: Piece;
  name: string | undefined;
  mediaType: string | undefined;
}

/**
 * A multipart/form-data body (RFC 7578). A field is a text or a number, a file value, or `{ text | base64, name,
 * mediaType }`; a list repeats the field, null leaves it out. The boundary follows from the content.
 * @throws RequestRefused
 */
export function multipartBody(fields: JsonObject): { body: { pieces: Piece[] }; type: string } {
  const boundary = `part-${sha256Hex(printJson(fields)).slice(0, 32)}`;
  const pieces: Piece[] = [];
  for (const [name, value] of Object.entries(fields)) {
    for (const one of (Array.isArray(value) ? value : [value]).filter((item) => item !== null)) {
      const sent = isObject(one) ? sentOf(one, `The field ${name}`) : undefined;
      const file = sent ? `; filename="${quoted(sent.name ?? name)}"` : "";
      const type = sent ? `\r\nContent-Type: ${sent.mediaType ?? "application/octet-stream"}` : "";
      pieces.push(
        `--${boundary}\r\nContent-Disposition: form-data; name="${quoted(name)}"${file}${type}\r\n\r\n`,
        sent?.piece ?? String(one),
        "\r\n",
      );
    }
  }
  pieces.push(`--${boundary}--\r\n`);
  return { body: { pieces: joined(pieces) }, type: `multipart/form-data; boundary=${boundary}` };
}

/**
 * A body of bytes: a file value, or `{ base64, mediaType }`.
 * @throws RequestRefused
 */
export function bodyPieces(value: Json): { body: { pieces: Piece[] }; type: string } {
  if (!isObject(value)) throw refused("The body");
  const { piece, mediaType } = sentOf(value, "The body");
  return { body: { pieces: [piece] }, type: mediaType ?? "application/octet-stream" };
}

function sentOf(value: JsonObject, what: string): Sent {
  const text = (key: string) => {
    const found = own(value, key);
    return typeof found === "string" ? found : undefined;
  };
  const about = { name: text("name"), mediaType: text("mediaType") };
  const [file, base64, plain] = [text("file"), text("base64"), text("text")];
  if (/[\r\n]/.test(about.mediaType ?? "")) throw refused(`${what}: its mediaType`);
  if (file !== undefined) return { ...about, piece: { file } };
  if (plain !== undefined) return { ...about, piece: plain };
  if (base64 === undefined) throw refused(what);
  if (!fromBase64(base64)) throw new RequestRefused("bad-request", `${what} is not Base64.`);
  return { ...about, piece: { base64 } };
}

function refused(what: string): RequestRefused {
  return new RequestRefused(
    "bad-request",
    `${what} must be a file value, or an object with "text" or "base64", and perhaps "name" and "mediaType".`,
  );
}

/** A name within quotes, as in the WHATWG HTML standard's multipart encoding: line ends and quotes escaped. */
function quoted(text: string): string {
  return text.replaceAll("\r", "%0D").replaceAll("\n", "%0A").replaceAll('"', "%22");
}

/** Texts that follow one another in one. */
function joined(pieces: Piece[]): Piece[] {
  const result: Piece[] = [];
  for (const piece of pieces) {
    const last = result.at(-1);
    if (typeof piece === "string" && typeof last === "string") result[result.length - 1] = last + piece;
    else result.push(piece);
  }
  return result;
}

const noFiles = (id: string): Promise<BodyPieces> => {
  throw new RequestRefused(
    "bad-request",
    `Only a run can send the stored file "${id}"; give its bytes as base64.`,
  );
};

/**
 * Puts the pieces of a body together; `openFile` gives the bytes of files that the service keeps. A body with a file in
 * it stays in pieces.
 */
export async function finishedRequest(
  request: Omit<HttpRequest, "body"> & { body?: string | { pieces: Piece[] } },
  openFile: (id: string) => Promise<BodyPieces> = noFiles,
): Promise<HttpRequest> {
  const { body, ...rest } = request;
  if (body === undefined) return rest;
  if (typeof body === "string") return { ...rest, body };
  const parts: (Uint8Array | BodyPieces)[] = [];
  for (const piece of body.pieces) {
    if (typeof piece === "string") parts.push(utf8(piece));
    else if ("file" in piece) parts.push(await openFile(piece.file));
    else parts.push(fromBase64(piece.base64) ?? new Uint8Array());
  }
  const size = parts.reduce((sum, part) => sum + (part instanceof Uint8Array ? part.length : part.size), 0);
  const inMemory = parts.every((part) => part instanceof Uint8Array);
  return { ...rest, body: inMemory ? joinedBytes(parts) : { size, pieces: () => oneByOne(parts) } };
}

async function* oneByOne(parts: readonly (Uint8Array | BodyPieces)[]): AsyncGenerator<Uint8Array> {
  for (const part of parts) {
    if (part instanceof Uint8Array) yield part;
    else yield* part.pieces();
  }
}
