import { exampleOf } from "../shapes/example.js";
import type { Json, JsonObject } from "../values/json.js";
import { apiPath, openApiOf, webhookPath, type CallableAt } from "./describe-openapi.js";
import { requestOf } from "./describe-request.js";
import { snippets, type Snippets } from "./snippets.js";
import type { Workflow } from "./steps.js";
import type { Verify, WebhookTrigger } from "./triggers.js";

/** One way in which another program can start runs of a workflow. */
export interface Way extends Snippets {
  /** The trigger's name; undefined for the service's own API. */
  trigger: string | undefined;
  method: string;
  url: string;
  /** How a program proves who it is, as a sentence. */
  proof: string;
  /** What it gets, as a sentence. */
  response: string;
}

/** What another program needs to start runs of a workflow and to get their responses: an OpenAPI 3.1 document, and ready calls. */
export interface Description {
  openapi: JsonObject;
  ways: Way[];
}

/** Describes a workflow for other programs: each of its webhooks, and the service's own API. */
export function describeWorkflow(workflow: Workflow, around: CallableAt): Description {
  const webhooks = Object.entries(workflow.triggers).filter(
    (pair): pair is [string, WebhookTrigger] => pair[1].kind === "webhook",
  );
  return {
    openapi: openApiOf([workflow], around, { api: true }),
    ways: [
      ...webhooks.map(([name, webhook]) => webhookWay(workflow, name, webhook, around)),
      apiWay(workflow, around),
    ],
  };
}

function webhookWay(workflow: Workflow, name: string, webhook: WebhookTrigger, around: CallableAt): Way {
  const { verify, response, methods, path } = webhook;
  const method = methods[0] ?? "POST";
  const { body, parameters } = requestOf(workflow, webhook);
  const places = verify.by === "api-key" ? around.keyPlaces(verify.using) : [];
  const headers: Record<string, string> = {};
  const query: string[] = [];
  for (const one of parameters) {
    const example = textOf(exampleOf((one["schema"] ?? {}) as JsonObject, same));
    const name = String(one["name"]);
    if (one["in"] === "query") query.push(`${encodeURIComponent(name)}=${encodeURIComponent(example)}`);
    else headers[name] = example;
  }
  const url = `${around.webhooksUrl}${webhookPath(path)}${query.length > 0 ? `?${query.join("&")}` : ""}`;
  return {
    trigger: name,
    method,
    url,
    proof: proofWords(verify),
    response:
      response === "from-run"
        ? "The run's response; 202 where it does not come in time."
        : response === "accepted"
          ? "202, when it is stored."
          : `${response.status}, when it is stored.`,
    ...snippets({ method, url, headers, body: body && exampleOf(body, same), verify, places }),
  };
}

function apiWay(workflow: Workflow, { publicUrl }: CallableAt): Way {
  const url = `${publicUrl}${apiPath(workflow)}?wait=30s`;
  const inputs = workflow.inputs ? exampleOf(workflow.inputs, same) : {};
  return {
    trigger: undefined,
    method: "POST",
    url,
    proof: "An access token as bearer; ckettle token add makes one.",
    response: "The run's response; 202 with the run where it does not come in time.",
    ...snippets({
      method: "POST",
      url,
      headers: {},
      body: { inputs },
      verify: { by: "bearer", using: "" },
      places: [],
    }),
  };
}

const same = (part: JsonObject): Json => part;
const textOf = (value: Json): string => (typeof value === "string" ? value : JSON.stringify(value));

function proofWords(verify: Verify): string {
  switch (verify.by) {
    case "none":
      return "Its address has a part that nobody guesses.";
    case "standard-webhooks":
      return "It is signed as Standard Webhooks say.";
    case "hmac":
      return `It is signed by HMAC-SHA-256, in the header ${verify.header}.`;
    case "basic":
      return "User and password (HTTP Basic).";
    case "bearer":
      return "A bearer token.";
    case "jwt":
      return `A token of ${verify.issuer} for ${verify.audience}, as bearer.`;
    case "api-key":
      return "A key.";
  }
}
