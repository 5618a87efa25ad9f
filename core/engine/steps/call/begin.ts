import { renderTemplate } from "../../../expressions/templates.js";
import { RequestRefused } from "../../../http/message.js";
import { renderUrl } from "../../../http/url-template.js";
import type { Json, JsonObject } from "../../../values/json.js";
import { leastLength } from "../../../values/masking.js";
import type { Path } from "../../../values/paths.js";
import { callRequest } from "../../../workflows/call-request.js";
import { renderValue, type ReadyCall, type ValueTemplate } from "../../../workflows/steps.js";
import { derivedSecrets, secretUrlParts } from "../../secrets.js";
import { StepFailed } from "../../signals.js";
import type { Frame } from "../../frame.js";
import type { Walk } from "../../walk.js";

/** Evaluates the parts of a call once, and notes the request that they make: without its authorization. */
export function beginCall(walk: Walk, step: ReadyCall, frame: Frame, path: string): void {
  const at = walk.ports.clock.now();
  const scope = walk.read.scope(frame);
  const surroundings = walk.read.surroundings(path, at);
  const masked: Path[] = [];
  let parametersMasked = false;
  const render = (field: string, value: ValueTemplate): Json => {
    const rendered = walk.read.guarded(path, field, () => renderValue(value, scope, surroundings) ?? null);
    if (!derivedSecrets(walk, value, rendered, scope, [])) return rendered;
    masked.push(...placesOf(field));
    parametersMasked ||= field === "parameters";
    return rendered;
  };
  const refusable = <T>(field: string, run: () => T): T => {
    try {
      return walk.read.guarded(path, field, run);
    } catch (error) {
      if (error instanceof RequestRefused)
        throw new StepFailed({ code: error.code, message: error.message, step: path, field });
      throw error;
    }
  };
  const { request, parametersInBody } = callRequest(step, {
    value: render,
    url() {
      const url = refusable("request", () => renderUrl(step.url, scope, surroundings));
      const urlSecrets = secretUrlParts(walk, step.url, scope, path, at);
      walk.write.secret(urlSecrets, []);
      if (urlSecrets.some((text) => text.length < leastLength)) masked.push(["data", "request", "url"]);
      return url;
    },
    expression: (field, expression) => walk.read.evaluate(expression, field, path, frame, at),
    key() {
      const template = step.idempotency?.key;
      return template
        ? walk.read.guarded(
            path,
            "idempotency.key",
            () => renderTemplate(template, scope, surroundings) ?? null,
          )
        : surroundings.uuid("idempotency", 0);
    },
    part: refusable,
    now: at,
  });
  if (parametersInBody && parametersMasked) masked.push(...placesOf("body"));
  const constants = walk.read.constantsRead(step);
  const data: JsonObject = {
    request: request as unknown as JsonObject,
    effect: step.effect,
    ...(step.operation ? { operation: `${step.operation.api}.${step.operation.id}` } : {}),
    ...(step.using ? { using: step.using.join(", ") } : {}),
    ...(Object.keys(constants).length > 0 ? { constants } : {}),
  };
  walk.write.note({
    type: "begun",
    path,
    kind: "request",
    at,
    data,
    ...(masked.length > 0 ? { masked } : {}),
  });
}

/** Where a part of a request shows in the journal, for secrets that are too short to be found by value. */
function placesOf(field: string): Path[] {
  if (field === "query") return [["data", "request", "url"]];
  if (field === "parameters")
    return [
      ["data", "request", "url"],
      ["data", "request", "headers", "*", 1],
    ];
  if (field === "body") return [["data", "request", "body"]];
  return [["data", "request", "headers", "*", 1]];
}
