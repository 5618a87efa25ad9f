import { bounds } from "../values/bounds.js";
import type { JsonSyntaxError } from "../values/json.js";
import { parseJson, type Json } from "../values/json.js";
import { CsvFault, parseCsv, type CsvForm } from "./csv.js";
import { ItemReader, LineFault, type ItemReading } from "./lines.js";
import type { HttpResponse } from "./message.js";
import { parseXml, XmlFault } from "./xml.js";

/** A response's body as a value. */
export interface ReadBody {
  /**
   * JSON as its value, XML as an object, CSV as rows, other text as text, an empty body as null. Undefined for other
   * bytes, which become a file value.
   */
  body: Json | undefined;
  /** The text that it was read from, where the value does not tell: of XML and CSV. */
  text?: string;
  /** What was wrong with the body, where its media type promised something that it does not hold. */
  fault?: string;
  /** The body is a list of events or lines. */
  listed?: true;
  /** There were more of them than are read. */
  more?: true;
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
const xmlType = /^(application|text)\/(xml|(?!xhtml)[^;]+\+xml)$/;
const csvType = /^(text|application)\/csv$/;
const linesType = /^application\/(x-)?(nd-?json|json-?lines|jsonl)$/;
const textType = /^(text\/|application\/([^;]+\+)?(xml|javascript|x-www-form-urlencoded|yaml|csv)$)/;

/** How to read a body, over what its media type says. */
export type BodyReading = BodyKind | { csv: CsvForm & { charset?: string } } | { text: { charset?: string } };
type BodyKind = "json" | "xml" | "csv" | "text" | "bytes" | ItemReading;

const typeOfReading: Record<BodyKind, string> = {
  json: "application/json",
  xml: "application/xml",
  csv: "text/csv",
  text: "text/plain",
  bytes: "application/octet-stream",
  events: "text/event-stream",
  "json-lines": "application/x-ndjson",
};

/** What a reading says: the media type, and the charset and form over what the response says. */
function readingOf(as: BodyReading): { type: string; charset?: string; csv?: CsvForm } {
  if (typeof as === "string") return { type: typeOfReading[as] };
  const [kind, { charset, ...form }] =
    "csv" in as ? (["csv", as.csv] as const) : (["text", as.text as CsvForm & { charset?: string }] as const);
  return { type: typeOfReading[kind], csv: form, ...(charset === undefined ? {} : { charset }) };
}

/** Reads the body of a response by its media type, or as the step says. */
export function readBody(response: HttpResponse, as?: BodyReading): ReadBody {
  if (response.body.length === 0) return { body: null };
  const told: ReturnType<typeof readingOf> = mediaTypeOf(response.headers["content-type"]);
  const { type, charset, csv } = as ? { ...told, ...readingOf(as) } : told;
  if (jsonType.test(type)) return readJson(decodeText(response.body, "utf-8"), type);
  if (xmlType.test(type)) return readBy(parseXml, decodeXml(response.body, charset), type);
  if (csvType.test(type))
    return readBy((text) => parseCsv(text, csv), decodeText(response.body, charset ?? "utf-8"), type);
  if (linesType.test(type)) return readItems("json-lines", response, type);
  if (type === typeOfReading.events) return readItems("events", response, type);
  if (textType.test(type)) return { body: decodeText(response.body, charset ?? "utf-8") };
  if (type === "") return looksLikeText(response.body);
  return { body: undefined };
}

/** A body that is a list of items, each read for itself. */
function readItems(kind: ItemReading, { body: bytes, partial }: HttpResponse, type: string): ReadBody {
  const reader = new ItemReader(kind);
  try {
    // Where no more was wanted, the last line is a part of one.
    const items = [...reader.feed(bytes), ...(partial ? [] : reader.end())];
    return { body: items, listed: true, ...(reader.isFull ? { more: true } : {}) };
  } catch (error) {
    if (!(error instanceof LineFault)) throw error;
    const fault = `The response says that it is ${type}, but cannot be read as such: ${error.message}.`;
    return { body: decodeText(bytes, "utf-8"), fault };
  }
}

/** What a reader says of a text may quote all of it. */
const longestReason = 200;

/** XML or CSV as a value; what cannot be read stays a text, and is reported. */
function readBy(parse: (text: string) => Json, text: string, type: string): ReadBody {
  try {
    return { body: parse(text), text };
  } catch (error) {
    if (!(error instanceof XmlFault || error instanceof CsvFault)) throw error;
    const why = error.message.slice(0, longestReason);
    return { body: text, fault: `The response says that it is ${type}, but cannot be read as such: ${why}.` };
  }
}

/** Whether reading a body takes long enough to be done beside other work: JSON is quick, XML and CSV are not. */
export function isSlowToRead(response: HttpResponse, as?: BodyReading): boolean {
  if (response.body.length < bounds.readAside) return false;
  const type = as ? readingOf(as).type : mediaTypeOf(response.headers["content-type"]).type;
  return xmlType.test(type) || csvType.test(type) || linesType.test(type) || type === typeOfReading.events;
}

/** XML says its own encoding where the media type does not (XML 1.0, appendix F). */
function decodeXml(bytes: Uint8Array, charset: string | undefined): string {
  const start = charset ? "" : decodeText(bytes.subarray(0, 100), "latin1");
  return decodeText(bytes, charset ?? /^<\?xml[^>]*encoding=["']([\w-]+)["']/.exec(start)?.[1] ?? "utf-8");
}

function readJson(text: string, type: string): ReadBody {
  try {
    return { body: parseJson(text) };
  } catch (error) {
    const { position: at, message } = error as JsonSyntaxError;
    const where =
      at === undefined
        ? `: ${message.slice(0, longestReason)}`
        : at >= text.length
          ? " breaks off at its end"
          : ` is broken at character ${at + 1}`;
    return {
      body: text,
      fault: `The response says that it is ${type}, but its JSON${at === undefined ? " cannot be read" : ""}${where}.`,
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

/** A response without a Content-Type: JSON where it parses, text where it is UTF-8, else bytes. */
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
