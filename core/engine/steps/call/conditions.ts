import type { Expression } from "../../../expressions/compile.js";
import { isObject, own, type Json, type JsonObject } from "../../../values/json.js";
import type { Path } from "../../../values/paths.js";
import type { ReadyCall } from "../../../workflows/steps.js";
import type { RecordedResponse } from "../../entries.js";
import { secretPlacesIn } from "../../secrets.js";
import type { Frame } from "../../frame.js";
import type { Walk } from "../../walk.js";

/**
 * The header fields by which a call depends on what an earlier step read (RFC 9110 section 13.1): its ETag, or else its
 * Last-Modified. An outcome with neither makes no condition.
 */
export function conditionHeaders(
  walk: Walk,
  step: ReadyCall,
  frame: Frame,
  path: string,
  at: number,
): JsonObject {
  const { ifMatch, ifNoneMatch } = step.conditions ?? {};
  const valueOf = (expression: Expression, field: string): Json =>
    walk.read.evaluate(expression, field, path, frame, at);
  return {
    ...(ifMatch ? fieldsOf(valueOf(ifMatch, "if-match"), "If-Match", "If-Unmodified-Since") : {}),
    ...(ifNoneMatch
      ? fieldsOf(valueOf(ifNoneMatch, "if-none-match"), "If-None-Match", "If-Modified-Since")
      : {}),
  };
}

/** From an outcome with its headers, a remembered value with `etag`, or the tag itself. */
function fieldsOf(value: Json, byTag: string, byTime: string): JsonObject {
  if (typeof value === "string") return value === "" ? {} : { [byTag]: value };
  const headers = isObject(value) ? (own(value, "headers") ?? value) : {};
  const text = (name: string): string | undefined => {
    const field = isObject(headers) ? own(headers, name) : undefined;
    return typeof field === "string" && field !== "" ? field : undefined;
  };
  const [tag, time] = [text("etag"), text("last-modified")];
  if (tag !== undefined) return { [byTag]: tag };
  return time === undefined ? {} : { [byTime]: time };
}

/** A 304 with the body that the earlier step read (RFC 9110 section 15.4.5); any other response as it is. */
export function unchangedSince(
  walk: Walk,
  step: ReadyCall,
  frame: Frame,
  at: number,
  response: RecordedResponse,
): RecordedResponse {
  const expression = step.conditions?.ifNoneMatch;
  if (response.status !== 304 || !expression) return response;
  const earlier = walk.read.evaluate(expression, "if-none-match", frame.prefix + step.name, frame, at);
  const body = isObject(earlier) ? (own(earlier, "body") ?? null) : null;
  return { ...response, body, unchanged: true };
}

/** What is secret in the body that an earlier step read is so where it counts again, short texts too. */
export function unchangedSecrets(walk: Walk, step: ReadyCall, response: RecordedResponse): Path[] {
  const expression = step.conditions?.ifNoneMatch;
  if (!response.unchanged || !expression) return [];
  const places = secretPlacesIn(walk, expression, "body");
  walk.write.secret(
    [],
    places.map((place) => ["steps", step.name, "body", ...place]),
  );
  return places.map((place) => ["response", "body", ...place]);
}
