import { mediaTypeOf } from "../http/read-body.js";
import type { ResponseHeaders } from "../http/message.js";
import { shapeCheck, type Mismatch, type ShapeCheck } from "../shapes/drift.js";
import { exampleOf } from "../shapes/example.js";
import { saysSomething } from "../shapes/infer.js";
import type { Json, JsonObject } from "../values/json.js";
import { deref, type Content, type Operation } from "./openapi.js";

/** A response as it is compared with its shape. */
export interface ResponseToCompare {
  status: number;
  headers: ResponseHeaders;
  body: Json;
}

/** What a document says of a response of some status: the status itself, its class (`2XX`), or `default`. */
export function describedAnswer(
  operation: Operation,
  status: number,
): Operation["responses"][number] | undefined {
  const named = (wanted: string) => operation.responses.find((one) => one.status.toUpperCase() === wanted);
  return named(String(status)) ?? named(`${String(status)[0]}XX`) ?? named("DEFAULT");
}

/** The content for a media type: the type itself, or a range such as `application/*`. */
export function contentFor(contents: Content[], type: string): Content | undefined {
  const [main] = type.split("/");
  const bare = (content: Content) => content.type.split(";")[0]?.trim().toLowerCase();
  return (
    contents.find((one) => bare(one) === type) ??
    contents.find((one) => bare(one) === `${main}/*`) ??
    contents.find((one) => bare(one) === "*/*")
  );
}

/** Checks that were made ready, by the schema that they check. */
const ready = new WeakMap<JsonObject, ShapeCheck>();

/**
 * Where a response departs from the shape that its operation's document gives; empty if it fits, or where the
 * document says nothing of it.
 */
export function responseMismatches(
  document: JsonObject,
  operation: Operation,
  answer: ResponseToCompare,
): Mismatch[] {
  const described = describedAnswer(operation, answer.status);
  if (!described || described.content.length === 0) return [];
  const { type } = mediaTypeOf(answer.headers["content-type"]);
  const schema = contentFor(described.content, type)?.schema;
  if (!saysSomething(schema)) return [];
  let check = ready.get(schema);
  if (!check) {
    check = shapeCheck(schema, (part) => deref(document, part));
    ready.set(schema, check);
  }
  return check(answer.body);
}

/**
 * A response as a successful one may look: the first example of the document, else made from its schema. Undefined if
 * the document says nothing of a successful response.
 */
export function exampleResponse(
  document: JsonObject,
  operation: Operation,
): { status: number; body: Json } | undefined {
  const good = operation.responses.find(({ status }) => /^2/.test(status));
  if (!good) return undefined;
  const status = /^\d{3}$/.test(good.status) ? Number(good.status) : 200;
  const [content] = good.content;
  if (!content) return { status, body: null };
  if (content.example !== undefined) return { status, body: content.example };
  if (!content.schema || !saysSomething(content.schema)) return { status, body: null };
  return { status, body: exampleOf(content.schema, (part) => deref(document, part)) };
}
