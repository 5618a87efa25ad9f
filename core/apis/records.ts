import { ExpressionError } from "../expressions/errors.js";
import { parseTemplate, renderTemplate } from "../expressions/templates.js";
import type { ValueMap } from "../expressions/values.js";
import { isObject, own, parseJson, printJson, setOwn, type Json, type JsonObject } from "../values/json.js";
import { webAddress } from "./extensions.js";
import type { Operation } from "./openapi.js";

/** A call that was answered, as the journal or a try shows it. */
export interface Answered {
  request: { method: string; url: string; body: Json };
  response: { status: number; headers: JsonObject; body: Json };
}

/** What templates of links and of reading back see: `request` (`method`, `url`, `path`, `body`), `status`, `headers`, `body`. */
function scopeOf({ path }: Operation, { request, response }: Answered): ValueMap {
  return { request: { ...request, path: pathParts(path, request.url) }, ...response };
}

/** The parts of a path by their names in the operation's, counted from its end: a server may have a path of its own. */
function pathParts(pattern: string, url: string): Record<string, string> {
  const given = URL.canParse(url) ? new URL(url).pathname.split("/").reverse() : [];
  const parts: Record<string, string> = {};
  for (const [index, part] of pattern.split("?", 1)[0]?.split("/").reverse().entries() ?? []) {
    const name = /^\{([^{}]+)\}$/.exec(part)?.[1];
    const value = given[index];
    if (name === undefined || value === undefined) continue;
    try {
      parts[name] = decodeURIComponent(value);
    } catch {
      parts[name] = value;
    }
  }
  return parts;
}

function rendered(template: string, scope: ValueMap): Json | undefined {
  try {
    return renderTemplate(parseTemplate(template), scope, { now: () => 0, uuid: () => "" });
  } catch (error) {
    // What the template reads may be missing in this response.
    if (error instanceof ExpressionError) return undefined;
    throw error;
  }
}

/** Where a person finds the record of a call (`x-ckettle-link`); undefined if the document or the response says none. */
export function recordLink(operation: Operation, call: Answered): string | undefined {
  if (operation.link === undefined || call.response.status >= 400) return undefined;
  const link = rendered(operation.link, scopeOf(operation, call));
  return webAddress(typeof link === "string" ? link : undefined);
}

/** The parameters by which the operation of `x-ckettle-read-back` is called; undefined if the response does not give them. */
export function readBackParameters(operation: Operation, call: Answered): JsonObject | undefined {
  const { readBack } = operation;
  if (!readBack || call.response.status >= 400) return undefined;
  const scope = scopeOf(operation, call);
  const parameters: JsonObject = {};
  for (const [name, value] of Object.entries(readBack.parameters)) {
    const given = typeof value === "string" ? rendered(value, scope) : value;
    if (given === undefined || given === null) return undefined;
    setOwn(parameters, name, given);
  }
  return parameters;
}

/** A field that was sent, and what is there. */
export interface ReadField {
  path: string;
  sent: Json;
  there: Json;
  same: boolean;
}

/** So many fields are compared. */
const mostFields = 500;

/** Field by field, whether what is there is what was sent. */
export function comparedFields(sent: Json, there: Json): ReadField[] {
  const fields: ReadField[] = [];
  const walk = (one: Json, other: Json | undefined, path: string): void => {
    if (fields.length >= mostFields) return;
    if (isObject(one)) {
      for (const key of Object.keys(one))
        walk(
          own(one, key) as Json,
          isObject(other) ? own(other, key) : undefined,
          path === "" ? key : `${path}.${key}`,
        );
      return;
    }
    const same = other !== undefined && printJson(one) === printJson(other);
    fields.push({ path, sent: one, there: other ?? null, same });
  };
  walk(sent, there, "");
  return fields;
}

/** A text as the JSON that it is, or else as it stands. */
export function jsonOrText(text: string): Json {
  try {
    return parseJson(text);
  } catch {
    return text;
  }
}
