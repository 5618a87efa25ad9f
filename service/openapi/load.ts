import {
  bounds,
  isDeeper,
  isObject,
  parseJson,
  pointedAt,
  readYaml,
  YamlBeyondBounds,
  yamlBounds,
  type Json,
  type JsonObject,
} from "@copper-kettle/core";
import { isData, upgraded } from "./upgrade.js";

/** A text cannot be taken as the document of an API; `message` says why and what to do. */
export class BadDocument extends Error {
  override name = "BadDocument";
}

/** A document as it is stored: OpenAPI 3.1, and what was done to it. */
export interface LoadedDocument {
  document: JsonObject;
  /** What it was written in, such as `Swagger 2.0`. */
  written: string;
  notes: string[];
}

/**
 * Reads an OpenAPI document (3.0, 3.1, 3.2) or a Swagger 2.0 document, in JSON or YAML, and brings it to 3.1. What we do
 * not use is kept. Nothing is fetched: a reference to another document is refused.
 * @throws BadDocument
 */
export async function loadDocument(text: string): Promise<LoadedDocument> {
  if (text.length > bounds.documentLength)
    throw new BadDocument(
      `The document is ${(text.length / 1e6).toFixed(1)} MB long; at most ${bounds.documentLength / 1e6} MB are read.`,
    );
  const value = parsed(text);
  if (!isObject(value))
    throw new BadDocument(
      `This is not an OpenAPI document: it is ${Array.isArray(value) ? "a list" : "a single value"}.`,
    );
  const version = versionOf(value["openapi"] ?? value["swagger"]);
  refuseForeign(value, version);
  const notes: string[] = [];
  const references = referencesOf(value);
  const foreign = references.filter((reference) => !reference.startsWith("#"));
  if (foreign.length > 0)
    throw new BadDocument(
      `The document refers to ${foreign.slice(0, 3).join(", ")}${foreign.length > 3 ? ` and ${foreign.length - 3} more` : ""}. Only references inside the document (#/…) are read. Bundle it into one document first.`,
    );
  const broken = references.filter((reference) => pointedAt(value, reference) === undefined);
  if (broken.length > 0) notes.push(`Some references lead nowhere: ${broken.slice(0, 5).join(", ")}.`);
  if (version.startsWith("2.")) {
    const { default: swagger } = await import("swagger2openapi"); // seldom needed
    const { openapi } = await swagger
      .convertObj(structuredClone(value), { patch: true, warnOnly: true })
      .catch((error: Error) => {
        throw new BadDocument(`The Swagger document cannot be converted to OpenAPI: ${error.message}`);
      });
    notes.push("Converted from Swagger 2.0 to OpenAPI 3.1.");
    return { document: upgraded(openapi as JsonObject), written: `Swagger ${version}`, notes };
  }
  if (version.startsWith("3.0")) {
    notes.push("Converted from OpenAPI 3.0 to 3.1.");
    return { document: upgraded(value), written: `OpenAPI ${version}`, notes };
  }
  return { document: value, written: `OpenAPI ${version}`, notes };
}

/** The version as a text: YAML reads 3.0 without quotes as a number. */
function versionOf(value: Json | undefined): string {
  if (typeof value === "number" && Number.isInteger(value)) return `${value}.0`;
  return value === undefined ? "" : String(value);
}

function parsed(given: string): Json {
  // Some tools write a byte order mark in front (RFC 8259 section 8.1 lets a reader pass it over).
  const text = given.replace(/^\uFEFF/, "");
  const start = text.trimStart();
  if (start === "") throw new BadDocument("The text is empty.");
  if (start.startsWith("<"))
    throw new BadDocument(
      "This is HTML or XML, not an OpenAPI document. Is it the address of its page instead of the document itself?",
    );
  if (start.startsWith("{")) {
    try {
      return parseJson(text);
    } catch (error) {
      throw new BadDocument(`This begins like JSON, but cannot be read: ${(error as Error).message}`);
    }
  }
  return fromYaml(text);
}

/** YAML as a value; a part that aliases name again is shared, not copied. */
function fromYaml(text: string): Json {
  try {
    const { document } = readYaml(text, yamlBounds(bounds.documentValues));
    const [fault] = document.errors;
    if (fault) throw new BadDocument(`The YAML cannot be read: ${fault.message.split("\n")[0]}`);
    const value = document.toJS({ maxAliasCount: 100 }) as Json;
    if (isDeeper(value, bounds.jsonDepth))
      throw new BadDocument(
        `The document is nested more than ${bounds.jsonDepth} deep, or holds an alias that holds itself.`,
      );
    return value;
  } catch (error) {
    if (error instanceof BadDocument) throw error;
    const { message } = error as Error;
    throw new BadDocument(
      `The YAML cannot be read: ${error instanceof YamlBeyondBounds ? message : message.split("\n")[0]}`,
    );
  }
}

function refuseForeign(value: JsonObject, version: string): void {
  if (/^(3\.[012]|2\.0)/.test(version)) {
    if (!isObject(value["paths"]) && !isObject(value["webhooks"]) && !isObject(value["components"]))
      throw new BadDocument('The document has no "paths", so it has no operations.');
    return;
  }
  const name =
    value["swagger"] === undefined && value["swaggerVersion"] === undefined ? "OpenAPI" : "Swagger";
  const other = version || (value["swaggerVersion"] === undefined ? "" : versionOf(value["swaggerVersion"]));
  if (other !== "")
    throw new BadDocument(`${name} ${other} is not read; Swagger 2.0 and OpenAPI 3.0, 3.1 and 3.2 are.`);
  const looks = isObject(value["log"])
    ? "It looks like an HTTP archive (HAR)."
    : value["copper-kettle"] !== undefined
      ? "It looks like a workflow file: push it with ckettle workflow push."
      : value["$schema"] !== undefined
        ? "It looks like a JSON Schema."
        : value["asyncapi"] !== undefined
          ? "It looks like an AsyncAPI document."
          : "";
  throw new BadDocument(
    `This is not an OpenAPI document: it has neither "openapi" nor "swagger" at its top. ${looks}`.trim(),
  );
}

/** Keys whose values are schemas by name: a property may be called `default` or `example`. */
const namedSchemas = new Set(["properties", "patternProperties", "schemas", "$defs", "definitions"]);

/** Every `$ref` of a document, each once. What stands in examples and extensions is data. */
function referencesOf(document: Json): string[] {
  const found = new Set<string>();
  const seen = new Set<object>();
  const visit = (value: Json, byName: boolean, inSchema: boolean): void => {
    if ((!Array.isArray(value) && !isObject(value)) || seen.has(value)) return;
    seen.add(value);
    for (const [key, inner] of Object.entries(value)) {
      if (!Array.isArray(value) && !byName && isData(key, inSchema)) continue;
      if (key === "$ref" && typeof inner === "string" && !byName) found.add(inner);
      else
        visit(
          inner as Json,
          namedSchemas.has(key) && !byName,
          inSchema || byName || key === "schema" || key === "items",
        );
    }
  };
  visit(document, false, false);
  return [...found];
}
