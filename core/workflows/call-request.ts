import { bodyRuleFaults, bodyWithFields, toldApart, type BodyField } from "../apis/body-fields.js";
import { withIdsFrom } from "../apis/extensions.js";
import { bodyType, formFields, operationRequest } from "../apis/operation-request.js";
import { requireFit } from "../apis/parameter-faults.js";
import type { Expression } from "../expressions/compile.js";
import { buildRequest, type BuiltRequest, type RequestBody, type RequestParts } from "../http/build.js";
import { conditionFields } from "../http/conditional.js";
import { RequestRefused } from "../http/message.js";
import { isObject, printJson, type Json, type JsonObject } from "../values/json.js";
import type { ReadyCall, ValueTemplate } from "./steps.js";

/** What fills in the parts of a call: the engine with what a run holds, the editor with what it shows. */
export interface Filling {
  /** What a field becomes; `field` is its key, such as `query`. */
  value(field: string, template: ValueTemplate): Json;
  url(): string;
  /** What a bare expression gives. */
  expression(field: string, expression: Expression): Json;
  /** The key by which the API knows a repeat. */
  key(): Json;
  /** Does what may refuse a field: whoever fills in says what becomes of that. */
  part<T>(field: string, run: () => T): T;
  now: number;
}

/**
 * The request that a call makes, without its authorization: what the step gives, and what the document of its
 * operation adds.
 * @returns the request, and whether parameters went into its body
 * @throws RequestRefused through `part`, where a part cannot stand in a request or the document does not allow it
 */
export function callRequest(
  step: ReadyCall,
  filling: Filling,
): { request: BuiltRequest; parametersInBody: boolean } {
  const objectOf = (field: string, template: ValueTemplate | undefined): JsonObject | undefined =>
    template && (filling.value(field, template) as JsonObject);
  let inBody: [BodyField, Json][] = [];
  const target = (): RequestParts => {
    if (!step.described) return { method: step.method, url: filling.url() };
    const { operation, server, fields = [] } = step.described;
    const given = withIdsFrom(operation, objectOf("parameters", step.parameters) ?? {});
    return filling.part("parameters", () => {
      requireFit(operation, given, { fields, now: filling.now });
      const apart = toldApart(operation, fields, given);
      inBody = apart.inBody;
      return operationRequest(operation, server, apart.parameters);
    });
  };
  const parts = target();
  for (const field of ["query", "headers", "cookies"] as const) {
    const rendered = objectOf(field, step[field]);
    if (rendered) parts[field] = { ...parts[field], ...rendered };
  }
  if (step.conditions) {
    const { ifMatch, ifNoneMatch } = step.conditions;
    const fields = filling.part("headers", () =>
      conditionFields(
        ifMatch && filling.expression("if-match", ifMatch),
        ifNoneMatch && filling.expression("if-none-match", ifNoneMatch),
      ),
    );
    parts.headers = { ...parts.headers, ...fields };
  }
  const given = step.body && bodyOf(step.body.kind, filling.value("body", step.body.value));
  const withFields = (before: RequestBody | undefined): RequestBody | undefined =>
    step.described ? bodyWithFields(step.described.operation, before, inBody) : before;
  const body = filling.part("body", () => asDescribed(step, withFixed(step, withFields(given))));
  if (body) {
    filling.part("body", () => requireRules(step, body, filling.now));
    parts.body = body;
    const type = step.described && bodyType(step.described.operation, Object.keys(body)[0] ?? "json");
    if (type) parts.headers = { "Content-Type": type, ...parts.headers };
  }
  if (step.idempotency) addKey(step.idempotency, parts, filling);
  const request = filling.part("request", () => buildRequest(parts));
  return { request, parametersInBody: inBody.length > 0 };
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

/** Puts in the key by which the API knows a repeat: the same at every attempt, and when the run is repeated from a step. */
function addKey(
  { in: place, name }: NonNullable<ReadyCall["idempotency"]>,
  parts: RequestParts,
  filling: Filling,
): void {
  const key = filling.key();
  if (place === "header") parts.headers = { ...parts.headers, [name]: key };
  else if (place === "query") parts.query = { ...parts.query, [name]: key };
  else
    filling.part("idempotency", () => {
      if (!parts.body || !("json" in parts.body) || !isObject(parts.body.json))
        throw new RequestRefused(
          "bad-value",
          'The key can only be added to a body that is a JSON object. Use "in: header" or "in: query".',
        );
      parts.body = { json: { ...parts.body.json, [name]: key } };
    });
}
