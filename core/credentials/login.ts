import { compile, type Expression } from "../expressions/compile.js";
import { ExpressionError } from "../expressions/errors.js";
import { references, type Reference } from "../expressions/references.js";
import {
  evaluateToJson,
  parseTemplate,
  renderTemplate,
  templateReferences,
  type Template,
} from "../expressions/templates.js";
import type { ValueMap } from "../expressions/values.js";
import { buildRequest } from "../http/build.js";
import { cookiesOf } from "../http/cookies.js";
import { RequestRefused, type HttpRequest, type HttpResponse } from "../http/message.js";
import { readBody } from "../http/read-body.js";
import { renderUrl } from "../http/url-template.js";
import { millisOf, parseDuration } from "../values/durations.js";
import { aKind, isObject, printJson, setOwn, type Json, type JsonObject } from "../values/json.js";
import { mask } from "../values/masking.js";
import type { Freshness } from "./credential.js";
import type { KeyPlace } from "./place.js";
import { SchemeFault } from "./signed.js";

/** A request that logs in, as templates over `secret.NAME`; of one that renews, also over `token`. */
export interface LoginRequest {
  /** Method and URL: `POST https://depot.example/session`. */
  request: string;
  headers?: Record<string, string>;
  /** One of them. */
  body?: { json?: Json; form?: JsonObject; text?: string };
}

/**
 * How one logs in, as data. Expressions over the response see `status`, `headers`, `body` and `cookies`.
 */
export interface LoginScheme extends LoginRequest {
  /** When the login went well; by default a status from 200 to 299. */
  success?: string;
  /** What the token is, an expression over the response; or else `cookie`. */
  token?: string;
  /** The name of the cookie whose value is the token. */
  cookie?: string;
  /** Where calls carry it, and as what. By default `Authorization: Bearer ${token}`, or the cookie that it came as. */
  attach?: { header?: string; query?: string; cookie?: string; value?: string };
  /** How long it lives: a duration, or an expression that gives one or a number of seconds. By default until it is refused. */
  lives?: string;
  /** When a response to a call means that the token has ended; by default status 401. */
  refused?: string;
  /** A request that gives a new token for one that still lives. */
  renew?: LoginRequest;
}

/** A credential whose token comes from a call. */
export interface LoginCredential {
  kind: "login";
  secrets: Record<string, string>;
  scheme: LoginScheme;
}

/** A token that a login gave, on its way into a call. */
export interface AttachedToken {
  kind: "attached";
  place: KeyPlace;
  name: string;
  value: string;
  /** The same, masked. */
  shown: string;
  token: string;
}

/** What expressions see of a response. */
export interface SeenResponse {
  status: number;
  headers: HttpResponse["headers"];
  body: Json;
}

/** What came of a login. */
export type LoggedIn =
  | { token: string; /** Milliseconds; undefined until it is refused. */ lives: number | undefined }
  | { fault: string };

interface CompiledRequest {
  method: string;
  url: Template;
  headers: [string, Template][];
  body: { kind: "json" | "form" | "text"; value: Json } | undefined;
}

interface Compiled {
  login: CompiledRequest;
  renew: CompiledRequest | undefined;
  success: Expression;
  token: Expression | undefined;
  lives: number | Expression | undefined;
  refused: Expression;
  attach: { place: KeyPlace; name: string; value: Template };
}

const compiled = new WeakMap<LoginScheme, Compiled>();

/** @throws SchemeFault that names the field */
function compiledLogin(scheme: LoginScheme): Compiled {
  const known = compiled.get(scheme);
  if (known) return known;
  const made: Compiled = {
    login: compiledRequest(scheme, ""),
    renew: scheme.renew && compiledRequest(scheme.renew, "renew."),
    success: expressionOf("success", scheme.success ?? "status >= 200 && status <= 299"),
    token: scheme.token === undefined ? undefined : expressionOf("token", scheme.token),
    lives: livesOf(scheme.lives),
    refused: expressionOf("refused", scheme.refused ?? "status == 401"),
    attach: attachOf(scheme),
  };
  if ((scheme.token === undefined) === (scheme.cookie === undefined))
    throw new SchemeFault("token", "Say either token (an expression) or cookie (a name), and not both.");
  compiled.set(scheme, made);
  return made;
}

function at<T>(field: string, make: () => T): T {
  try {
    return make();
  } catch (error) {
    throw error instanceof ExpressionError ? new SchemeFault(field, `${field}: ${error.message}`) : error;
  }
}

function expressionOf(field: string, text: string): Expression {
  return at(field, () => compile(text));
}

function livesOf(text: string | undefined): Compiled["lives"] {
  return text === undefined ? undefined : (parseDuration(text) ?? expressionOf("lives", text));
}

function compiledRequest({ request, headers = {}, body }: LoginRequest, prefix: string): CompiledRequest {
  // The host is written out: a secret or a response never decides where secrets go.
  const match = /^([A-Z][A-Z-]*) +(https?:\/\/[^\s/?#$@]+(?:[/?#].*)?)$/.exec(request.trim());
  if (!match)
    throw new SchemeFault(
      `${prefix}request`,
      `A request is a method and a URL, such as POST https://depot.example/session, with its host written out; this is "${request}".`,
    );
  const kinds = (["json", "form", "text"] as const).filter((kind) => body?.[kind] !== undefined);
  if (kinds.length > 1) throw new SchemeFault(`${prefix}body`, "A body is json, form or text: one of them.");
  const [kind] = kinds;
  const made: CompiledRequest = {
    method: match[1] as string,
    url: at(`${prefix}request`, () => parseTemplate(match[2] as string)),
    headers: Object.entries(headers).map(([name, text]) => [
      name,
      at(`${prefix}headers.${name}`, () => parseTemplate(text)),
    ]),
    body: kind && { kind, value: body?.[kind] as Json },
  };
  eachText(made.body?.value ?? null, (text) => at(`${prefix}body`, () => parseTemplate(text)));
  return made;
}

function attachOf({ attach = {}, cookie }: LoginScheme): Compiled["attach"] {
  const places = (["header", "query", "cookie"] as const).filter((place) => attach[place] !== undefined);
  if (places.length > 1)
    throw new SchemeFault("attach", "A token is attached as header, query or cookie: one of them.");
  const [place] = places;
  const bare = attach.value ?? "${token}";
  const value = (text: string): Template => at("attach.value", () => parseTemplate(text));
  if (place) return { place, name: attach[place] as string, value: value(bare) };
  if (cookie !== undefined) return { place: "cookie", name: cookie, value: value(bare) };
  return { place: "header", name: "Authorization", value: value(attach.value ?? "Bearer ${token}") };
}

function eachText(value: Json, take: (text: string) => void): void {
  if (typeof value === "string") take(value);
  else if (Array.isArray(value)) value.forEach((item) => eachText(item, take));
  else if (isObject(value)) Object.values(value).forEach((item) => eachText(item, take));
}

/** A value with each of its texts rendered. */
function rendered(value: Json, render: (text: string) => Json): Json {
  if (typeof value === "string") return render(value);
  if (Array.isArray(value)) return value.map((item) => rendered(item, render));
  if (!isObject(value)) return value;
  const object: JsonObject = {};
  for (const [key, inner] of Object.entries(value)) setOwn(object, key, rendered(inner, render));
  return object;
}

/**
 * The request that logs in; with a token, the one that renews it.
 * @throws SchemeFault that names the field which cannot be computed
 */
export function loginRequest(credential: LoginCredential, fresh: Freshness, token?: string): HttpRequest {
  const { login, renew } = compiledLogin(credential.scheme);
  const parts = token === undefined ? login : (renew ?? login);
  const prefix = token === undefined ? "" : "renew.";
  const scope: ValueMap = { secret: credential.secrets, ...(token === undefined ? {} : { token }) };
  const surroundings = { now: () => fresh.now, uuid: () => fresh.nonce };
  const render = (field: string, template: Template): Json =>
    at(field, () => renderTemplate(template, scope, surroundings) ?? null);
  const body =
    parts.body && rendered(parts.body.value, (text) => render(`${prefix}body`, parseTemplate(text)));
  try {
    return buildRequest({
      method: parts.method,
      url: at(`${prefix}request`, () => renderUrl(parts.url, scope, surroundings)),
      headers: Object.fromEntries(
        parts.headers.map(([name, text]) => [name, render(`${prefix}headers.${name}`, text)]),
      ),
      ...(parts.body ? { body: { [parts.body.kind]: body } as unknown as { json: Json } } : {}),
    }) as HttpRequest;
  } catch (error) {
    if (error instanceof RequestRefused) throw new SchemeFault(`${prefix}request`, error.message);
    throw error;
  }
}

/** Reads a token out of a response to a login. A fault names the field of the scheme that does not fit. */
export function readLogin({ scheme }: LoginCredential, response: HttpResponse, now: number): LoggedIn {
  const { success, token, lives } = compiledLogin(scheme);
  const body = readBody(response).body ?? null;
  const scope = scopeOf({ status: response.status, headers: response.headers, body });
  const surroundings = { now: () => now, uuid: () => "" };
  const value = (field: string, expression: Expression): Json | SchemeFault => {
    try {
      return evaluateToJson(expression, scope, surroundings) ?? null;
    } catch (error) {
      if (error instanceof ExpressionError) return new SchemeFault(field, error.message);
      throw error;
    }
  };
  const fault = (field: string, why: string): LoggedIn => ({ fault: `"${field}" ${why}` });
  const isSuccess = value("success", success);
  if (isSuccess instanceof SchemeFault) return fault("success", `cannot be computed: ${isSuccess.message}`);
  if (isSuccess !== true) return fault("success", `(${success.text}) does not hold`);
  const given = token
    ? value("token", token)
    : (cookiesOf(response.headers["set-cookie"])[scheme.cookie as string] ?? null);
  if (given instanceof SchemeFault) return fault("token", `cannot be computed: ${given.message}`);
  if ((typeof given !== "string" && typeof given !== "number") || given === "")
    return token
      ? fault("token", `gave ${aKind(given)}, and not a text`)
      : fault("cookie", `names "${scheme.cookie}", and the response sets no such cookie`);
  if (typeof lives === "number" || lives === undefined) return { token: String(given), lives };
  const said = value("lives", lives);
  if (said instanceof SchemeFault) return fault("lives", `cannot be computed: ${said.message}`);
  const millis = millisOf(said);
  if (millis === undefined || millis <= 0)
    return fault(
      "lives",
      `gave ${aKind(said)}, which is neither a number of seconds nor a duration such as 50m`,
    );
  return { token: String(given), lives: millis };
}

function scopeOf({ status, headers, body }: SeenResponse): ValueMap {
  return { status, headers, body, cookies: cookiesOf(headers["set-cookie"]) };
}

/** A token, ready for a call. @throws SchemeFault when what is attached cannot be computed */
export function attached({ scheme, secrets }: LoginCredential, token: string): AttachedToken {
  const { attach } = compiledLogin(scheme);
  const { place, name } = attach;
  const surroundings = { now: () => 0, uuid: () => "" };
  const text = (scope: ValueMap): string =>
    at("attach.value", () => String(renderTemplate(attach.value, scope, surroundings) ?? ""));
  const masked = Object.fromEntries(Object.keys(secrets).map((secret) => [secret, mask]));
  return {
    kind: "attached",
    place,
    name,
    value: text({ token, secret: secrets }),
    shown: text({ token: mask, secret: masked }),
    token,
  };
}

/** Whether a response to a call means that its token has ended. */
export function refusesToken({ scheme }: LoginCredential, response: SeenResponse): boolean {
  try {
    const surroundings = { now: () => 0, uuid: () => "" };
    return evaluateToJson(compiledLogin(scheme).refused, scopeOf(response), surroundings) === true;
  } catch (error) {
    // What the expression reads may be missing in other responses.
    if (error instanceof ExpressionError) return false;
    throw error;
  }
}

/** Where a request of a scheme goes, whatever its secrets are: scheme, host and port. */
export function loginOrigin({ request }: LoginRequest): URL {
  return new URL(/https?:\/\/[^\s/?#$@]+/.exec(request)?.[0] ?? "");
}

/** Whether tokens got with one credential are of no use with the other. */
export function wantsOtherLogin(before: LoginCredential, after: LoginCredential): boolean {
  const printed = ({ scheme, secrets }: LoginCredential) => printJson({ scheme, secrets } as unknown as Json);
  return printed(before) !== printed(after);
}

/**
 * Checks a scheme before it is saved: that it can be read, and that it names only what there is.
 * @throws SchemeFault that names the field
 */
export function checkLogin(scheme: LoginScheme, secretNames: readonly string[]): void {
  const { login, renew, success, token, lives, refused, attach } = compiledLogin(scheme);
  const named = (field: string, found: Reference[], roots: readonly string[]): void => {
    for (const { path } of found) {
      const [root = "", name] = path;
      if (!roots.includes(root))
        throw new SchemeFault(field, `${field}: There is no "${root}" here; known are ${roots.join(", ")}.`);
      if (root === "secret" && name !== undefined && !secretNames.includes(String(name)))
        throw new SchemeFault(
          field,
          `${field}: There is no secret "${name}"; known are ${secretNames.join(", ") || "none"}.`,
        );
    }
  };
  const request = ({ url, headers, body }: CompiledRequest, prefix: string, roots: string[]): void => {
    named(`${prefix}request`, templateReferences(url), roots);
    for (const [name, text] of headers) named(`${prefix}headers.${name}`, templateReferences(text), roots);
    eachText(body?.value ?? null, (text) =>
      named(`${prefix}body`, templateReferences(parseTemplate(text)), roots),
    );
  };
  request(login, "", ["secret"]);
  if (renew) request(renew, "renew.", ["secret", "token"]);
  named("attach.value", templateReferences(attach.value), ["token", "secret"]);
  for (const [field, expression] of Object.entries({ success, token, lives, refused }))
    if (typeof expression === "object")
      named(field, references(expression.tree), ["status", "headers", "body", "cookies"]);
}
