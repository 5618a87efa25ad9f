import type { KeyPart } from "../credentials/credential.js";
import type { JsonObject } from "../values/json.js";
import { requestOf } from "./describe-request.js";
import type { Workflow } from "./steps.js";
import type { Verify, WebhookTrigger } from "./triggers.js";

/** Where a credential of the kind api-key shows itself: a part without its secret. */
export type ShownKey = Omit<KeyPart, "secret">;

/** Where other programs reach the service, and what they must show. */
export interface CallableAt {
  /** The addresses of webhooks and of the API, without a slash at the end. */
  webhooksUrl: string;
  publicUrl: string;
  /** Where the credential that a trigger names shows itself. */
  keyPlaces: (credential: string) => ShownKey[];
}

/**
 * An OpenAPI 3.1 document of the webhooks of workflows.
 * @param api whether the service's own way to start them is in it, too
 */
export function openApiOf(workflows: Workflow[], around: CallableAt, { api = false } = {}): JsonObject {
  const paths: JsonObject = {};
  const schemes: JsonObject = {};
  for (const workflow of workflows) {
    for (const [name, trigger] of Object.entries(workflow.triggers)) {
      if (trigger.kind !== "webhook") continue;
      const { path, methods, verify } = trigger;
      const item: JsonObject = verify.by === "none" ? { parameters: [addressParameter] } : {};
      const operation = webhookOperation(workflow, name, trigger, schemes, around);
      for (const method of methods)
        item[method.toLowerCase()] = {
          ...operation,
          operationId: `${workflow.name}-${name}${methods.length > 1 ? `-${method.toLowerCase()}` : ""}`,
        };
      paths[`${webhookPath(path)}${verify.by === "none" ? "/{address}" : ""}`] = item;
    }
    if (api) paths[apiPath(workflow)] = { post: apiOperation(workflow, schemes, around) };
  }
  const title = workflows.length === 1 ? (workflows[0]?.title ?? workflows[0]?.name ?? "") : "Workflows";
  return {
    openapi: "3.1.0",
    info: { title, version: "1" },
    servers: [{ url: around.webhooksUrl }],
    paths,
    components: { securitySchemes: schemes },
  };
}

const addressParameter: JsonObject = {
  name: "address",
  in: "path",
  required: true,
  description: "The part of the address that nobody guesses. Who runs the workflow has it.",
  schema: { type: "string" },
};

export const apiPath = ({ name }: Workflow): string => `/api/workflows/${name}/runs`;

function webhookOperation(
  workflow: Workflow,
  name: string,
  webhook: WebhookTrigger,
  schemes: JsonObject,
  around: CallableAt,
): JsonObject {
  const { body, parameters } = requestOf(workflow, webhook);
  const signed = signatureParameters(webhook.verify);
  const scheme = schemeOf(webhook.verify, around);
  if (scheme) schemes[`${workflow.name}-${name}`] = scheme;
  return {
    summary: webhook.title ?? workflow.title ?? workflow.name,
    ...(workflow.about === undefined ? {} : { description: workflow.about }),
    ...(parameters.length + signed.length > 0 ? { parameters: [...parameters, ...signed] } : {}),
    ...(body === undefined
      ? {}
      : { requestBody: { required: true, content: { "application/json": { schema: body } } } }),
    responses: responsesOf(workflow, webhook),
    security: scheme ? [{ [`${workflow.name}-${name}`]: [] }] : [],
  };
}

function apiOperation(
  workflow: Workflow,
  schemes: JsonObject,
  { publicUrl, webhooksUrl }: CallableAt,
): JsonObject {
  schemes["token"] = { type: "http", scheme: "bearer", description: "An access token of the service." };
  return {
    operationId: `${workflow.name}-start`,
    summary: `Start ${workflow.name} and wait for its response`,
    ...(publicUrl === webhooksUrl ? {} : { servers: [{ url: publicUrl }] }),
    parameters: [
      {
        name: "wait",
        in: "query",
        description: "How long to wait for the run's response, such as 30s.",
        schema: { type: "string" },
      },
      {
        name: "Idempotency-Key",
        in: "header",
        description: "Starts with the same key give one run.",
        schema: { type: "string" },
      },
    ],
    requestBody: {
      required: true,
      content: {
        "application/json": {
          schema: { type: "object", properties: { inputs: workflow.inputs ?? { type: "object" } } },
        },
      },
    },
    responses: { ...said(workflow), "202": accepted, default: problem },
    security: [{ token: [] }],
  };
}

const problem: JsonObject = {
  description: "Refused, or the run failed (502); the body says why (RFC 9457).",
  content: {
    "application/problem+json": {
      schema: {
        type: "object",
        properties: {
          type: { type: "string" },
          title: { type: "string" },
          status: { type: "integer" },
          detail: { type: "string" },
        },
      },
    },
  },
};

const accepted: JsonObject = {
  description: "It is stored, and its run goes on.",
  content: {
    "application/json": {
      schema: { type: "object", properties: { event: { type: "string" }, run: { type: "string" } } },
    },
  },
};

/** The responses that the file lists. */
function said({ responses = {} }: Workflow): JsonObject {
  return Object.fromEntries(
    Object.entries(responses).map(([status, schema]) => [
      status,
      {
        description: `What the workflow responds with ${status}.`,
        content: { "application/json": { schema } },
      },
    ]),
  );
}

function responsesOf(workflow: Workflow, { response }: WebhookTrigger): JsonObject {
  if (response === "from-run") return { ...said(workflow), "202": accepted, default: problem };
  if (response === "accepted") return { "202": accepted, default: problem };
  return {
    [String(response.status)]: { description: "It is stored, and its run goes on." },
    default: problem,
  };
}

/** The path of a webhook below the address of all of them. */
export const webhookPath = (path: string): string => `/webhooks/${path}`;

function schemeOf(verify: Verify, { keyPlaces }: CallableAt): JsonObject | undefined {
  switch (verify.by) {
    case "none":
      return undefined;
    case "jwt":
      return {
        type: "openIdConnect",
        openIdConnectUrl: `${verify.issuer.replace(/\/$/, "")}/.well-known/openid-configuration`,
        description: `An access token for ${verify.audience}.`,
      };
    case "basic":
    case "bearer":
      return { type: "http", scheme: verify.by };
    case "api-key": {
      const [first] = keyPlaces(verify.using);
      return {
        type: "apiKey",
        in: first?.place ?? "header",
        name: first?.name ?? "Authorization",
        ...(first?.prefix ? { description: `The key stands behind "${first.prefix}".` } : {}),
      };
    }
    case "standard-webhooks":
      return {
        type: "apiKey",
        in: "header",
        name: "webhook-signature",
        description:
          "Standard Webhooks 1.0: v1, and the Base64 of HMAC-SHA-256 over webhook-id.webhook-timestamp.body, with the bytes behind whsec_ as key.",
      };
    case "hmac":
      return {
        type: "apiKey",
        in: "header",
        name: verify.header,
        description: `${verify.value}, where the value is HMAC-SHA-256 over ${verify.base}, at most ${verify.within / 1_000} s old where a time is signed.`,
      };
  }
}

function signatureParameters(verify: Verify): JsonObject[] {
  const header = (name: string, description: string): JsonObject => ({
    name,
    in: "header",
    required: true,
    description,
    schema: { type: "string" },
  });
  const seconds = "Seconds since 1970.";
  if (verify.by === "standard-webhooks")
    return [header("webhook-id", "The same in a repeat."), header("webhook-timestamp", seconds)];
  return verify.by === "hmac" && verify.timestamp !== undefined ? [header(verify.timestamp, seconds)] : [];
}
