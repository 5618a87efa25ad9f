import type { BodyOf, routes } from "@copper-kettle/contract";
import {
  operationById,
  bodyFieldsOf,
  bodyRuleFaults,
  bodyType,
  bodyWithFields,
  buildRequest,
  decoded,
  defaultEffect,
  finishedRequest,
  formFields,
  isObject,
  NotUnderstood,
  operationName,
  operationRequest,
  parameterFaults,
  readPasted,
  RequestRefused,
  pastedUrl,
  secretsOf,
  serverFor,
  toldApart,
  understandPasted,
  withFixedFields,
  withIdsFrom,
  type BodyField,
  type BuiltRequest,
  type Effect,
  type FoundSecret,
  type HttpRequest,
  type Json,
  type JsonObject,
  type Operation,
  type RequestBody,
  type RequestParts,
  type PastedRequest,
} from "@copper-kettle/core";
import type { ApiStore, OpenApi } from "../store/apis.js";

export type GivenTry = BodyOf<typeof routes.tryOperation>;

/** What was given cannot be sent; each fault names its field. */
export class BadTry extends Error {
  override name = "BadTry";
  constructor(readonly faults: { field: string; message: string }[]) {
    super(faults.map(({ message }) => message).join(" "));
  }
}

/** What is to be sent, and how. */
export interface Prepared {
  built: BuiltRequest;
  request: HttpRequest;
  effect: Effect;
  /** The credential by its name. */
  using: string | undefined;
  /** A key that stands in a pasted request; it is used, and not stored. */
  secret: FoundSecret | undefined;
  /** All that is secret in a pasted request, also what stays where it was pasted. */
  secrets: string[];
  /** The operation, where it is one of a described API. */
  described: { open: OpenApi; operation: Operation } | undefined;
}

interface Target {
  parts: RequestParts;
  effect: Effect;
  using?: string | undefined;
  secret?: FoundSecret | undefined;
  secrets?: string[];
  described?: Prepared["described"];
  /** Fields of the body that were given by name among the parameters. */
  inBody?: [BodyField, Json][];
  /** The fields of the body, with their rules. */
  fields?: BodyField[];
}

/**
 * Makes the request of a try.
 * @throws BadTry with all that is missing or wrong, by field; RequestRefused
 */
export async function prepareTry(apis: ApiStore, given: GivenTry): Promise<Prepared> {
  const target = targetOf(apis, given);
  const fixed = withFixed(target, bodyOf(given));
  const body =
    target.described && fixed && "form" in fixed
      ? { form: formFields(target.described.operation, fixed.form) }
      : fixed;
  requireRules(target, fixed);
  const type =
    target.described && body && bodyType(target.described.operation, Object.keys(body)[0] as string);
  const headers = { ...(type ? { "Content-Type": type } : {}), ...target.parts.headers, ...given.headers };
  for (const [name, value] of Object.entries(headers)) {
    if (typeof value !== "string") continue;
    const open = placeholder(value);
    if (open)
      throw new BadTry([{ field: `headers.${name}`, message: `The header ${name} still contains ${open}.` }]);
  }
  const built = buildRequest({ ...target.parts, headers, ...(body === undefined ? {} : { body }) });
  return {
    built,
    request: await finishedRequest(built),
    effect: target.effect,
    using: given.using ?? target.using,
    secret: given.using === undefined ? target.secret : undefined,
    secrets: target.secrets ?? [],
    described: target.described,
  };
}

/** The body with the fields that were given by name, and those of a JSON body that the document fixes. */
function withFixed(
  { described, inBody = [] }: Target,
  given: RequestBody | undefined,
): RequestBody | undefined {
  if (!described) return given;
  try {
    const body = bodyWithFields(described.operation, given, inBody);
    if (body && !("json" in body)) return body;
    const json = withFixedFields(described.open.document, described.operation, body?.json);
    return json === undefined ? body : { json };
  } catch (error) {
    if (!(error instanceof RequestRefused)) throw error;
    throw new BadTry([{ field: "body", message: error.message }]);
  }
}

/** @throws BadTry where a field does not hold to the rule that its document has for it */
function requireRules({ described, fields = [] }: Target, body: RequestBody | undefined): void {
  if (!described || !body || !("json" in body || "form" in body)) return;
  const value = "json" in body ? body.json : body.form;
  const faults = bodyRuleFaults(described.operation, fields, value, Date.now());
  if (faults.length > 0)
    throw new BadTry(faults.map(({ path, message }) => ({ field: `body.${path.join(".")}`, message })));
}

function targetOf(apis: ApiStore, given: GivenTry): Target {
  if (given.pasted !== undefined) return pasted(given.pasted, given.using);
  return given.operation === undefined ? plain(given) : described(apis, given);
}

function plain({ method = "GET", url }: GivenTry): Target {
  if (!url) throw new BadTry([{ field: "url", message: 'Give "operation", "url" or "pasted".' }]);
  const open = placeholder(url);
  if (open)
    throw new BadTry([
      { field: "url", message: `The address still contains ${open}. Replace it with a value.` },
    ]);
  return { parts: { method: method.toUpperCase(), url }, effect: defaultEffect(method.toUpperCase()) };
}

/** A part that documentation leaves to be filled in: `{id}`, `<your-key>`, `$TOKEN`, `:id` as a whole part of a path. */
function placeholder(text: string): string | undefined {
  return /\{[^{}]+\}|<[A-Za-z][\w -]*>|\$\{?[A-Za-z_]\w*\}?|(?<=\/):[A-Za-z_]\w*(?=\/|$|\?)/.exec(text)?.[0];
}

function pasted(text: string, using: string | undefined): Target {
  try {
    const pasted = readPasted(text);
    const { secret } = understandPasted(pasted);
    if (using === undefined && secret && secretsOf(secret).includes(""))
      throw new BadTry([
        {
          field: "pasted",
          message: "A placeholder stands where the key should be. Put the key there, or choose a credential.",
        },
      ]);
    const { method, url } = withoutSecret(pasted, secret);
    return {
      parts: {
        method,
        url: plain({ url }).parts.url,
        headers: headersOf(pasted, secret),
        ...pastedBody(pasted),
      },
      effect: defaultEffect(method),
      secret: secret && movable(secret),
      secrets: secret ? secretsOf(secret) : [],
    };
  } catch (error) {
    if (error instanceof NotUnderstood) throw new BadTry([{ field: "pasted", message: error.message }]);
    throw error;
  }
}

/** What of a key is put in as the request is sent. In the path and the body it stays as it was pasted, to the last blank. */
function movable(secret: FoundSecret): FoundSecret | undefined {
  if (secret.kind !== "api-key") return secret;
  const parts = secret.parts.filter(({ place }) => place !== "path" && place !== "body");
  return parts.length > 0 ? { ...secret, parts } : undefined;
}

/** The address without the keys in it: they are put in where it is sent, and are masked where it is shown. */
function withoutSecret(
  pasted: PastedRequest,
  secret: FoundSecret | undefined,
): { method: string; url: string } {
  const url = pastedUrl(pasted.url);
  const names = new Set(
    secret?.kind === "api-key"
      ? secret.parts.flatMap(({ place, name }) => (place === "query" ? [name] : []))
      : [],
  );
  const isWhole = names.size === 0 && url.username === "" && url.password === "";
  url.username = url.password = "";
  // Nothing else of the query is written anew: an API may tell %20 from +.
  if (names.size > 0)
    url.search = url.search
      .slice(1)
      .split("&")
      .filter((pair) => !names.has(decoded(pair.split("=", 1)[0] ?? "")))
      .join("&");
  return { method: pasted.method, url: isWhole || /%7B|%7D/i.test(url.href) ? pasted.url : url.href };
}

function headersOf(pasted: PastedRequest, secret: FoundSecret | undefined): Record<string, string> {
  const isKey = (name: string) =>
    secret?.kind === "api-key"
      ? secret.parts.some((part) => part.place === "header" && part.name.toLowerCase() === name.toLowerCase())
      : secret !== undefined && name.toLowerCase() === "authorization";
  const isNewBody = (name: string) => pasted.body?.kind === "multipart" && /^content-type$/i.test(name);
  const kept = pasted.headers.filter(
    ([name, value]) =>
      value !== "" && !isKey(name) && !isNewBody(name) && !/^(host|content-length)$/i.test(name),
  );
  const typed = kept.some(([name]) => /^content-type$/i.test(name));
  if (pasted.body?.kind === "json" && !typed) kept.push(["Content-Type", "application/json"]);
  const headers: Record<string, string> = {};
  // A field that repeats is one list (RFC 9110 section 5.3).
  for (const [name, value] of kept)
    headers[name] = Object.hasOwn(headers, name) ? `${headers[name]}, ${value}` : value;
  return headers;
}

function pastedBody({ body }: PastedRequest): { body?: RequestBody } {
  switch (body?.kind) {
    case undefined:
      return {};
    case "form":
      return { body: { form: body.fields } };
    case "multipart":
      requireNoFiles(body.fields);
      return { body: { multipart: body.fields } };
    case "file":
      throw new NotUnderstood(
        `The body is the file ${body.name}, which was not pasted. Paste its text in its place.`,
      );
    case "json":
    case "text":
      // Sent as it was pasted, to the last blank; the kind only says the media type where the pasted does not.
      return { body: { text: body.text } };
  }
}

/** @throws NotUnderstood for a file of which only the name was pasted */
function requireNoFiles(fields: JsonObject): void {
  for (const [name, value] of Object.entries(fields))
    for (const one of [value].flat())
      if (isObject(one) && one["file"] !== undefined)
        throw new NotUnderstood(
          `The field ${name} is the file ${String(one["file"])}, which was not pasted. Add the operation, and send it with a file.`,
        );
}

function described(apis: ApiStore, given: GivenTry): Target {
  const name = operationName(given.operation ?? "");
  const open = name && apis.get(name.api);
  const operation = operationById(open?.api.operations ?? [], name?.id ?? "");
  if (!open || !operation)
    throw new BadTry([{ field: "operation", message: `There is no operation "${given.operation}".` }]);
  const parameters = withIdsFrom(operation, given.parameters ?? {});
  const fields = bodyFieldsOf(open.document, operation);
  const { parameters: own, inBody } = toldApart(operation, fields, parameters);
  const faults = parameterFaults(operation, parameters, undefined, { fields }).map(
    ({ name: field, message }) => ({
      field: `parameters.${field}`,
      message,
    }),
  );
  const server = serverFor(open.api, operation);
  if (server === undefined)
    faults.push({ field: "operation", message: `The document of ${open.name} names no server.` });
  if (operation.body?.required && given.body === undefined && inBody.length === 0)
    faults.push({ field: "body", message: `${operation.id} needs a body, but none was given.` });
  if (server === undefined || faults.length > 0) throw new BadTry(faults);
  return {
    parts: operationRequest(operation, server, own),
    inBody,
    fields,
    effect: operation.effect,
    using: open.api.credential,
    described: { open, operation },
  };
}

function bodyOf({ body, pasted }: GivenTry): RequestBody | undefined {
  const kinds = Object.entries(body ?? {}).filter(([, value]) => value !== undefined);
  const [first] = kinds;
  if (!first) return undefined;
  if (kinds.length > 1 || pasted !== undefined)
    throw new BadTry([
      {
        field: "body",
        message:
          pasted === undefined
            ? `A body has one kind, but this one has ${kinds.map(([kind]) => kind).join(" and ")}.`
            : "A pasted request has its own body.",
      },
    ]);
  return { [first[0]]: first[1] } as RequestBody;
}
