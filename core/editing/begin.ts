import type { Operation } from "../apis/openapi.js";
import type { UnderstoodRequest } from "../apis/pasted/understand.js";
import { exampleOf } from "../shapes/example.js";
import { isObject, own, parseJson, type Json, type JsonObject } from "../values/json.js";
import type { TriggerKind } from "../workflows/document-triggers.js";
import { nameFrom } from "./names.js";
import { addStep } from "./steps.js";
import { setField } from "../workflows/edit.js";

/** What a new workflow begins with. */
export interface Beginning {
  name: string;
  title?: string;
  trigger: { name: string; kind: TriggerKind; about: JsonObject };
  inputs?: JsonObject;
  steps: JsonObject[];
}

/** What the service has that a step may use. */
export interface Surroundings {
  constants: JsonObject;
  credentials: { name: string; hosts: readonly string[] }[];
  apis: { name: string; server: string | null; credential: string | null }[];
}

/** The text of a new workflow. */
export function newWorkflow({ name, title, trigger, inputs, steps }: Beginning): string {
  let text = `copper-kettle: 1\nname: ${name}\n`;
  if (title !== undefined && title !== "") text = setField(text, ["title"], title);
  if (inputs !== undefined) text = setField(text, ["inputs"], inputs);
  text = setField(text, ["triggers"], { [trigger.name]: { [trigger.kind]: trigger.about } });
  text = `${text.trimEnd()}\nsteps: []\n`;
  steps.forEach((step, index) => (text = addStep(text, { list: ["steps"], index }, step).text));
  return text;
}

/** What a trigger of a kind says at first, with what its kind cannot do without. */
export function newTrigger(kind: TriggerKind, path: string): JsonObject {
  switch (kind) {
    case "by-hand":
      return {};
    case "schedule":
      return { every: "1h" };
    case "webhook":
      return { path, verify: "none" };
    case "poll":
      return { every: "5m" };
  }
}

/** The JSON Schema of inputs that an operation's required parameters ask for; undefined if it requires none. */
export function inputsFor({ parameters }: Operation): JsonObject | undefined {
  const wanted = parameters.filter(({ required, fixed }) => required && fixed === undefined);
  if (wanted.length === 0) return undefined;
  const properties: JsonObject = {};
  for (const { name, title, schema, choices, default: usual } of wanted) {
    const type = own(schema, "type");
    properties[nameFrom(name)] = {
      type: typeof type === "string" ? type : "string",
      ...(title === name ? {} : { title }),
      ...(typeof own(schema, "format") === "string" ? { format: own(schema, "format") as string } : {}),
      ...(choices ? { enum: choices } : {}),
      ...(usual === undefined ? {} : { default: usual }),
    };
  }
  return { type: "object", required: Object.keys(properties), properties };
}

/**
 * A step that calls an operation: what it requires stands there to be filled in, and what has the name of an input
 * already reads it.
 */
export function stepOfOperation(api: string, operation: Operation, inputs: readonly string[]): JsonObject {
  const step: JsonObject = { step: nameFrom(operation.id) };
  if (operation.title !== "" && operation.title !== operation.id) step["title"] = operation.title;
  step["operation"] = `${api}.${operation.id}`;
  const proposed = (name: string, example: Json | undefined): Json =>
    inputs.includes(nameFrom(name)) ? `\${inputs.${nameFrom(name)}}` : (example ?? "");
  const wanted = operation.parameters.filter(
    ({ required, fixed, default: usual }) => required && fixed === undefined && usual === undefined,
  );
  if (wanted.length > 0)
    step["parameters"] = Object.fromEntries(
      wanted.map(({ name, example }) => [name, proposed(name, example)]),
    );
  const json = operation.body?.content.find(({ type }) => /json/.test(type));
  const schema = json?.schema;
  if (json && isObject(schema ?? null)) {
    const required = own(schema as JsonObject, "required");
    const properties = own(schema as JsonObject, "properties");
    const names = Array.isArray(required) ? required.filter((one) => typeof one === "string") : [];
    const body: JsonObject = {};
    for (const name of names) {
      const inner = isObject(properties) ? own(properties, name) : undefined;
      if (isObject(inner) && "const" in inner) continue;
      body[name] = inputs.includes(nameFrom(name))
        ? `\${inputs.${nameFrom(name)}}`
        : isObject(inner) && own(inner, "type") !== "string"
          ? exampleOf(inner, () => undefined)
          : "";
    }
    if (names.length > 0) step["body"] = { json: body };
  }
  return step;
}

/** A step that sends a request as it was pasted. Its key is none of the step's: a credential for its host is. */
export function stepOfRequest(
  { method, server, path, query, headers, body }: UnderstoodRequest,
  known: Surroundings,
): { step: JsonObject; notes: string[] } {
  const notes: string[] = [];
  const words = path.split("/").filter((part) => /^[A-Za-z][\w-]*$/.test(part));
  const step: JsonObject = { step: nameFrom([method.toLowerCase(), words.at(-1) ?? "call"].join(" ")) };
  step["request"] = `${method} ${withConstant(server, known.constants)}${path}`;
  const host = hostOf(server);
  const credential = credentialFor(host, known);
  if (credential !== undefined) step["using"] = credential;
  else
    notes.push(
      `It is not known which credential is meant for ${host}. Where the call needs a key, choose one.`,
    );
  if (Object.keys(query).length > 0) step["query"] = query;
  if (Object.keys(headers).length > 0) step["headers"] = headers;
  if (body?.kind === "json") step["body"] = { json: jsonOf(body.text) };
  else if (body?.kind === "form" || body?.kind === "multipart") step["body"] = { [body.kind]: body.fields };
  else if (body?.kind === "text") step["body"] = { text: body.text };
  return { step, notes };
}

/** A step of a method and an address that a person typed, with `${…}` in it: `GET ${constants.stays}/guests`. */
export function stepOfLine(line: string, known: Surroundings): { step: JsonObject } {
  const [method = "GET", url = ""] = line.split(/\s+/);
  const words = url
    .replace(/\$\{[^}]*\}/g, "")
    .split("/")
    .filter((part) => /^[A-Za-z][\w-]*$/.test(part));
  const step: JsonObject = {
    step: nameFrom(`${method.toLowerCase()} ${words.at(-1) ?? "call"}`),
    request: `${method} ${url}`,
  };
  const address = url.replace(/\$\{\s*constants\.(\w+)\s*\}/g, (all, name: string) =>
    String(known.constants[name] ?? all),
  );
  const credential = credentialFor(hostOf(address), known);
  if (credential !== undefined) step["using"] = credential;
  return { step };
}

/** The credential of the API at a host, else the only one that is for it. Of several nobody knows which is meant. */
function credentialFor(host: string, { apis, credentials }: Surroundings): string | undefined {
  const own = apis.find(
    ({ server, credential }) => credential !== null && hostOf(server ?? "") === host,
  )?.credential;
  const fitting = credentials.filter(({ hosts }) => hosts.includes(host));
  return own ?? (fitting.length === 1 ? fitting[0]?.name : undefined);
}

function hostOf(address: string): string {
  return /^https?:\/\/([^/?#]+)/.exec(address)?.[1] ?? "";
}

function jsonOf(text: string): Json {
  try {
    return parseJson(text);
  } catch {
    return text;
  }
}

/** An address by the constant that says it, where one does. */
function withConstant(server: string, constants: JsonObject): string {
  const name = Object.keys(constants).find((key) => constants[key] === server);
  return name === undefined ? server : `\${constants.${name}}`;
}

/** What a new step of a kind says at first. */
export function newStep(kind: string): JsonObject {
  switch (kind) {
    case "request":
      return { step: "call", request: "GET https://" };
    case "if":
      return { step: "check", if: "true", then: [] };
    case "cases":
      return { step: "choose", cases: [{ if: "true", then: [] }] };
    case "each":
      return { step: "round", each: "[]", steps: [] };
    case "group":
      return { step: "group", group: { steps: [] } };
    case "together":
      return { step: "together", together: { branches: { one: [], other: [] } } };
    case "ensure":
      return {
        step: "ensured",
        ensure: { find: { request: "GET https://" }, create: { request: "POST https://" } },
      };
    case "workflow":
      return { step: "called", workflow: { name: "" } };
    case "remember":
      return { step: "kept", remember: { key: "last", values: { value: "" } } };
    case "set":
      return { step: "values", set: { value: "" } };
    case "wait":
      return { step: "pause", wait: { for: "1m" } };
    case "respond":
      return { step: "reply", respond: { body: {} } };
    default:
      return { step: kind, [kind]: "" };
  }
}

/** The kinds of steps as people look for them: a word, what it is for, and other words for it. */
export const kindWords: readonly { kind: string; about: string; also: string }[] = [
  { kind: "request", about: "a call by method and URL", also: "http call get post put patch delete api url" },
  { kind: "if", about: "goes one way or the other", also: "condition branch when then else decide" },
  { kind: "cases", about: "takes the first case that holds", also: "switch choose match branch" },
  {
    kind: "each",
    about: "does its steps for every item of a list",
    also: "loop for every repeat list items",
  },
  {
    kind: "ensure",
    about: "finds a record, creates or updates it",
    also: "upsert exists lookup find create update",
  },
  { kind: "set", about: "gives values names", also: "variable assign value" },
  { kind: "wait", about: "waits for a time, or until one", also: "sleep pause delay" },
  { kind: "respond", about: "says what the starter gets", also: "reply answer return output response" },
  { kind: "workflow", about: "runs another workflow", also: "call subworkflow" },
  { kind: "remember", about: "keeps values for later runs", also: "store state save memory" },
  { kind: "group", about: "holds steps together, with one catch", also: "block try catch" },
  { kind: "together", about: "runs branches side by side", also: "parallel concurrent at once" },
  { kind: "note", about: "writes a sentence into the run", also: "log comment print message" },
  { kind: "finish", about: "ends the run as succeeded", also: "end stop exit done" },
  { kind: "fail", about: "ends the run as failed", also: "throw error abort stop" },
];
