import { bodyRuleFaults, bodyWithFields, toldApart, type BodyField } from "../../../apis/body-fields.js";
import { withIdsFrom } from "../../../apis/extensions.js";
import { bodyType, formFields, operationRequest } from "../../../apis/operation-request.js";
import { requireFit } from "../../../apis/parameter-faults.js";
import { renderTemplate } from "../../../expressions/templates.js";
import type { ValueMap } from "../../../expressions/values.js";
import { buildRequest, type RequestBody, type RequestParts } from "../../../http/build.js";
import { RequestRefused } from "../../../http/message.js";
import { renderUrl } from "../../../http/url-template.js";
import { isObject, printJson, type Json, type JsonObject } from "../../../values/json.js";
import { leastLength } from "../../../values/masking.js";
import type { Path } from "../../../values/paths.js";
import { renderValue, type ReadyCall, type ValueTemplate } from "../../../workflows/steps.js";
import { derivedSecrets, secretUrlParts } from "../../secrets.js";
import { conditionHeaders } from "./conditions.js";
import { StepFailed } from "../../signals.js";
import type { Frame } from "../../frame.js";
import type { Walk } from "../../walk.js";

/** Evaluates the parts of a call once, and notes the request that they make: without its authorization. */
export function beginCall(walk: Walk, step: ReadyCall, frame: Frame, path: string): void {
  const at = walk.ports.clock.now();
  const scope = walk.read.scope(frame);
  const surroundings = walk.read.surroundings(path, at);
  const masked: Path[] = [];
  const render = (field: string, value: ValueTemplate | undefined): JsonObject | undefined => {
    if (!value) return undefined;
    const rendered = walk.read.guarded(path, field, () => renderValue(value, scope, surroundings) ?? null);
    if (derivedSecrets(walk, value, rendered, scope, [])) masked.push(...placesOf(field));
    return rendered as JsonObject;
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
  let inBody: [BodyField, Json][] = [];
  const target = (): RequestParts => {
    if (step.described) {
      const { operation, server, fields = [] } = step.described;
      const given = withIdsFrom(operation, render("parameters", step.parameters) ?? {});
      return refusable("parameters", () => {
        requireFit(operation, given, { fields, now: at });
        const apart = toldApart(operation, fields, given);
        inBody = apart.inBody;
        if (inBody.length > 0 && masked.length > 0) masked.push(...placesOf("body"));
        return operationRequest(operation, server, apart.parameters);
      });
    }
    const url = refusable("request", () => renderUrl(step.url, scope, surroundings));
    const urlSecrets = secretUrlParts(walk, step.url, scope, path, at);
    walk.write.secret(urlSecrets, []);
    if (urlSecrets.some((text) => text.length < leastLength)) masked.push(["data", "request", "url"]);
    return { method: step.method, url };
  };
  const parts = target();
  for (const field of ["query", "headers", "cookies"] as const) {
    const rendered = render(field, step[field]);
    if (rendered) parts[field] = { ...parts[field], ...rendered };
  }
  if (step.conditions)
    parts.headers = {
      ...parts.headers,
      ...refusable("headers", () => conditionHeaders(walk, step, frame, path, at)),
    };
  const given = step.body && bodyOf(step.body.kind, render("body", step.body.value) ?? null);
  const withFields = (before: RequestBody | undefined): RequestBody | undefined =>
    step.described ? bodyWithFields(step.described.operation, before, inBody) : before;
  const body = refusable("body", () => asDescribed(step, withFixed(step, withFields(given))));
  if (body) {
    refusable("body", () => requireRules(step, body, at));
    parts.body = body;
    const type = step.described && bodyType(step.described.operation, Object.keys(body)[0] ?? "json");
    if (type) parts.headers = { "Content-Type": type, ...parts.headers };
  }
  addKey(walk, step, parts, scope, path, at);
  const request = refusable("request", () => buildRequest(parts));
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

/** @throws RequestRefused where a field does not hold to the rule that its document has for it */
function requireRules({ described }: ReadyCall, body: RequestBody, now: number): void {
  if (!described?.fields || !("json" in body || "form" in body)) return;
  const value = "json" in body ? body.json : body.form;
  const faults = bodyRuleFaults(described.operation, described.fields, value, now);
  if (faults.length > 0)
    throw new RequestRefused("bad-request", faults.map(({ message }) => message).join(" "));
}

/** The body with the fields that the document of its operation fixes; those of a JSON body only. */
function withFixed({ described }: ReadyCall, given: RequestBody | undefined): RequestBody | undefined {
  if (!described?.withFixedFields || (given && !("json" in given))) return given;
  const json = described.withFixedFields(given?.json);
  return json === undefined ? given : { json };
}

/** A form with its fields written as the document of its operation says. */
function asDescribed({ described }: ReadyCall, body: RequestBody | undefined): RequestBody | undefined {
  return described && body && "form" in body ? { form: formFields(described.operation, body.form) } : body;
}

function bodyOf(kind: NonNullable<ReadyCall["body"]>["kind"], value: Json): RequestBody {
  switch (kind) {
    case "json":
      return { json: value };
    case "xml":
    case "json-lines":
      return { [kind]: value } as RequestBody;
    case "form":
    case "graphql":
    case "multipart":
      return { [kind]: isObject(value) ? value : {} } as RequestBody;
    case "file":
      return { file: value };
    default:
      return { [kind]: typeof value === "string" ? value : printJson(value) } as RequestBody;
  }
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

/** Puts in the key by which the API knows a repeat: the same at every attempt, and when the run is repeated from a step. */
function addKey(
  walk: Walk,
  step: ReadyCall,
  parts: RequestParts,
  scope: ValueMap,
  path: string,
  at: number,
): void {
  const { idempotency } = step;
  if (!idempotency) return;
  const { key: template, in: place, name } = idempotency;
  const surroundings = walk.read.surroundings(path, at);
  const key = template
    ? walk.read.guarded(path, "idempotency.key", () => renderTemplate(template, scope, surroundings) ?? null)
    : surroundings.uuid("idempotency", 0);
  if (place === "header") parts.headers = { ...parts.headers, [name]: key };
  else if (place === "query") parts.query = { ...parts.query, [name]: key };
  else if (parts.body && "json" in parts.body && isObject(parts.body.json))
    parts.body = { json: { ...parts.body.json, [name]: key } };
  else
    throw new StepFailed({
      code: "bad-value",
      message: 'The key can only be added to a body that is a JSON object. Use "in: header" or "in: query".',
      step: path,
      field: "idempotency",
    });
}
