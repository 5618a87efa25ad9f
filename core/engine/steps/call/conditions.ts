import { isObject, own } from "../../../values/json.js";
import type { Path } from "../../../values/paths.js";
import type { ReadyCall } from "../../../workflows/steps.js";
import type { RecordedResponse } from "../../entries.js";
import { secretPlacesIn } from "../../secrets.js";
import type { Frame } from "../../frame.js";
import type { Walk } from "../../walk.js";

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
