import { compile, type Expression } from "../expressions/compile.js";
import { ExpressionError } from "../expressions/errors.js";
import { evaluateToJson, parseTemplate, renderTemplate, type Template } from "../expressions/templates.js";
import type { ValueMap } from "../expressions/values.js";
import { wholeBody } from "../http/body-pieces.js";
import type { HttpRequest } from "../http/message.js";
import { leastLength, mask, MaskSet } from "../values/masking.js";
import type { Freshness, ShownPart } from "./credential.js";
import { placeValue } from "./place.js";

/**
 * How a request is signed, as data. In scope are `secret.NAME`, `request` (`method`, `url`, `host`, `path`, `query`,
 * `body`), `time` (`seconds`, `millis` and `iso`, new at each send), `nonce`; then `base`, the signature base (RFC 9421 section 2.5),
 * and `signature`.
 */
export interface SigningScheme {
  /** A template: what is signed. */
  base: string;
  /** An expression over `base` and the secrets. */
  signature: string;
  /** Templates of header fields that are set. */
  headers?: Record<string, string>;
  /** Templates of query parameters that are added. */
  query?: Record<string, string>;
  /** A known case, checked when the scheme is saved. */
  vector?: SigningVector;
}

export interface SigningVector {
  method: string;
  url: string;
  body?: string;
  /** Milliseconds since 1970. */
  now: number;
  nonce: string;
  secrets: Record<string, string>;
  /** What must come out. */
  signature: string;
  base?: string;
}

/** A part of a scheme that cannot be read or computed, by its field. */
export class SchemeFault extends Error {
  override name = "SchemeFault";
  constructor(
    readonly field: string,
    message: string,
  ) {
    super(message);
  }
}

interface Compiled {
  base: Template;
  signature: Expression;
  headers: [string, Template][];
  query: [string, Template][];
}

const compiled = new WeakMap<SigningScheme, Compiled>();

/** @throws SchemeFault that names the field */
function compiledScheme(scheme: SigningScheme): Compiled {
  const known = compiled.get(scheme);
  if (known) return known;
  const at = <T>(field: string, make: () => T): T => {
    try {
      return make();
    } catch (error) {
      throw error instanceof ExpressionError ? new SchemeFault(field, `${field}: ${error.message}`) : error;
    }
  };
  const templates = (field: "headers" | "query"): [string, Template][] =>
    Object.entries(scheme[field] ?? {}).map(([name, text]) => [
      name,
      at(`${field}.${name}`, () => parseTemplate(text)),
    ]);
  const made: Compiled = {
    base: at("base", () => parseTemplate(scheme.base)),
    signature: at("signature", () => compile(scheme.signature)),
    headers: templates("headers"),
    query: templates("query"),
  };
  compiled.set(scheme, made);
  return made;
}

/** Computes a scheme for a request. @throws SchemeFault that names the field which cannot be computed */
export function computeSignature(
  scheme: SigningScheme,
  request: HttpRequest,
  secrets: Record<string, string>,
  fresh: Freshness,
) {
  const parts = compiledScheme(scheme);
  const url = new URL(request.url);
  const surroundings = { now: () => fresh.now, uuid: () => fresh.nonce };
  const scope: ValueMap = {
    secret: secrets,
    request: {
      method: request.method,
      url: request.url,
      host: url.host,
      path: url.pathname,
      query: url.search.slice(1),
      body: wholeBody(request),
    },
    nonce: fresh.nonce,
    time: {
      seconds: Math.floor(fresh.now / 1000),
      millis: fresh.now,
      iso: new Date(fresh.now).toISOString(),
    },
  };
  const at = (field: string, compute: () => unknown): string => {
    try {
      return String(compute() ?? "");
    } catch (error) {
      throw error instanceof ExpressionError
        ? new SchemeFault(field, `The signing scheme's ${field} cannot be computed: ${error.message}`)
        : error;
    }
  };
  const base = at("base", () => renderTemplate(parts.base, scope, surroundings));
  const signature = at("signature", () => evaluateToJson(parts.signature, { ...scope, base }, surroundings));
  const rendered = (field: "headers" | "query"): [string, string][] =>
    parts[field].map(([name, template]) => [
      name,
      at(`${field}.${name}`, () => renderTemplate(template, { ...scope, base, signature }, surroundings)),
    ]);
  return { base, signature, headers: rendered("headers"), query: rendered("query") };
}

/** Signs a request, in place. */
export function sign(
  request: HttpRequest,
  scheme: SigningScheme,
  secrets: Record<string, string>,
  fresh: Freshness,
) {
  const { signature, headers, query } = computeSignature(scheme, request, secrets, fresh);
  const masks = new MaskSet();
  masks.add([signature, ...Object.values(secrets)]);
  const short = Object.values(secrets).filter((secret) => secret.length < leastLength);
  const shown: ShownPart[] = [];
  const put = (place: "header" | "query", name: string, value: string): void => {
    placeValue(request, place, name, value);
    shown.push({
      place,
      name,
      value: short.some((secret) => value.includes(secret)) ? mask : masks.text(value),
    });
  };
  for (const [name, value] of headers) put("header", name, value);
  for (const [name, value] of query) put("query", name, value);
  return { request, shown };
}

/**
 * Checks a scheme before it is saved: that it can be read, that it names only secrets that there are, and that its
 * vector comes out.
 * @throws SchemeFault
 */
export function checkScheme(scheme: SigningScheme, secretNames: readonly string[]): void {
  const vector = scheme.vector;
  const secrets = vector?.secrets ?? Object.fromEntries(secretNames.map((name) => [name, "x".repeat(16)]));
  const request: HttpRequest = {
    method: vector?.method ?? "GET",
    url: vector?.url ?? "https://check.example/a?b=c",
    headers: [],
    ...(vector?.body === undefined ? {} : { body: vector.body }),
  };
  const missing = vector ? secretNames.filter((name) => vector.secrets[name] === undefined) : [];
  if (missing.length > 0) throw new SchemeFault("vector", `The test vector has no secret "${missing[0]}".`);
  const result = computeSignature(scheme, request, secrets, {
    now: vector?.now ?? 1_700_000_000_000,
    nonce: vector?.nonce ?? "7f3c",
  });
  if (!vector) return;
  if (vector.base !== undefined && vector.base !== result.base) {
    throw new SchemeFault(
      "vector",
      `The test vector gives another base. Expected ${JSON.stringify(vector.base)}, got ${JSON.stringify(result.base)}.`,
    );
  }
  if (vector.signature !== result.signature) {
    throw new SchemeFault(
      "vector",
      `The test vector gives another signature. Expected ${vector.signature}, got ${result.signature}. What was signed: ${JSON.stringify(result.base)}.`,
    );
  }
}
