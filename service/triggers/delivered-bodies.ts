import {
  bounds,
  isObject,
  own,
  setOwn,
  type FileAbout,
  type Json,
  type JsonObject,
  type Reader,
} from "@copper-kettle/core";
import busboy from "busboy";
import { isUtf8 } from "node:buffer";

/** A delivery whose body is to be read. */
interface Delivered {
  method: string;
  headers: Record<string, string>;
  query: JsonObject;
  body: Uint8Array;
}

/** Keeps the bytes of a file; what comes back is the value that expressions see. */
export type KeepFile = (bytes: Uint8Array, about: FileAbout) => Promise<JsonObject>;

/**
 * What a delivery brings into the scope of expressions: its body by its media type, and a CloudEvent's attributes.
 * @param keep missing: of bytes only their kind and size are told
 */
export async function broughtBy(
  read: Reader,
  { method, headers, query, body }: Delivered,
  keep: KeepFile = (bytes, about) => Promise.resolve({ ...about, size: bytes.length }),
): Promise<{ brought: JsonObject; fault?: string }> {
  const type = headers["content-type"] ?? "";
  const of = (value: Json): { brought: JsonObject } => ({ brought: { method, headers, query, body: value } });
  if (/^application\/x-www-form-urlencoded/i.test(type)) return of(formOf(body));
  if (/^multipart\/form-data/i.test(type)) {
    const parts = await partsOf(type, body);
    return "fault" in parts ? { ...of(null), ...parts } : of(await partsValue(parts, keep));
  }
  // RFC 8259, section 8.1. A byte that is replaced by another sign would be taken for what was sent.
  if (/^application\/(?:[\w.-]+\+)?json/i.test(type) && !isUtf8(Buffer.from(body)))
    return { ...of(null), fault: "The body is not UTF-8, as JSON has to be." };
  const found = await read({ status: 200, headers, body, url: "" }, undefined);
  if (found.fault) return { ...of(null), fault: found.fault };
  if (found.body === undefined)
    return of(
      await keep(body, {
        name: fileNameIn(headers["content-disposition"]) ?? "body",
        mediaType: type.split(";")[0]?.trim() || bytesType,
      }),
    );
  const value = found.body;
  // CloudEvents 1.0, JSON format, structured mode.
  if (
    /^application\/cloudevents\+json/i.test(type) &&
    isObject(value) &&
    typeof own(value, "specversion") === "string"
  ) {
    const { data, ...event } = value;
    return { brought: { method, headers, query, body: data ?? null, event } };
  }
  return of(value);
}

const bytesType = "application/octet-stream";

/** The name in a Content-Disposition (RFC 6266), without any folder. */
const fileNameIn = (header: string | undefined): string | undefined =>
  /filename="?([^";]+)"?/i
    .exec(header ?? "")?.[1]
    ?.split(/[\\/]/)
    .at(-1);

/** A form as it was sent (WHATWG URL, section 5.1); a name that comes again has a list. */
export function formOf(body: Uint8Array): JsonObject {
  const form: JsonObject = {};
  for (const [name, value] of new URLSearchParams(Buffer.from(body).toString())) addTo(form, name, value);
  return form;
}

function addTo(form: JsonObject, name: string, value: Json): void {
  const before = own(form, name);
  if (before === undefined) setOwn(form, name, value);
  else if (Array.isArray(before)) before.push(value);
  else setOwn(form, name, [before, value]);
}

/** A part of a form: a text, or the bytes of a file. */
type Part = { name: string } & ({ text: string } | { bytes: Buffer; about: FileAbout });

/** The parts of a form with files (RFC 7578), in their order. */
function partsOf(type: string, body: Uint8Array): Promise<Part[] | { fault: string }> {
  return new Promise((resolve) => {
    const parts: Part[] = [];
    const fault = (message: string): void => resolve({ fault: `The form cannot be read: ${message}.` });
    let reader: busboy.Busboy;
    try {
      reader = busboy({
        headers: { "content-type": type },
        limits: { parts: bounds.deliveredParts, fieldSize: body.length, fieldNameSize: 200 },
        defParamCharset: "utf8",
      });
    } catch (error) {
      return fault((error as Error).message);
    }
    reader.on("field", (name, text) => parts.push({ name, text }));
    reader.on("file", (name, stream, { filename, mimeType }) => {
      const pieces: Buffer[] = [];
      stream.on("data", (piece: Buffer) => pieces.push(piece));
      stream.on("error", () => undefined); // the reader says it
      stream.on("end", () => {
        // A quote in a name is written as %22 (WHATWG HTML, multipart/form-data encoding).
        const about = { name: filename?.replace(/%22/g, '"') || name, mediaType: mimeType || bytesType };
        parts.push({ name, bytes: Buffer.concat(pieces), about });
      });
    });
    reader.on("partsLimit", () => fault(`it has more than ${bounds.deliveredParts} parts`));
    reader.on("error", (error) => fault((error as Error).message));
    reader.on("close", () => resolve(parts));
    reader.end(Buffer.from(body.buffer, body.byteOffset, body.byteLength));
  });
}

async function partsValue(parts: readonly Part[], keep: KeepFile): Promise<JsonObject> {
  const form: JsonObject = {};
  for (const part of parts)
    addTo(form, part.name, "text" in part ? part.text : await keep(part.bytes, part.about));
  return form;
}
