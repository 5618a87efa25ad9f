import {
  explainLogin,
  isObject,
  loginRequest,
  mask,
  readBody,
  readLogin,
  refreshTime,
  RequestRefused,
  SchemeFault,
  TransportFailure,
  type HttpRequest,
  type HttpResponse,
  type Json,
  type LoginCredential,
  type Token,
  type Transport,
} from "@copper-kettle/core";
import { newNonce } from "../runs/ids.js";
import type { CredentialStore, LoginExchange } from "../store/credentials.js";
import { noToken } from "./fetch.js";
import { requireSafe } from "./metadata.js";
import { TokenRefused } from "./responses.js";

/** The largest response to a login that is read, in bytes. */
const longestResponse = 1_048_576;
const timeout = { connect: 10_000, response: 20_000 };
/** The first pause after a login that failed, and the longest, in milliseconds: accounts are not to be locked. */
const firstPause = 60_000;
const longestPause = 3_600_000;

/** Logs in for credentials of the kind `login`, and keeps the last exchange of each, masked. */
export class Logins {
  constructor(
    readonly transport: Transport,
    readonly credentials: CredentialStore,
    readonly now: () => number,
  ) {}

  /**
   * A token by a login; with a token that still lives, by the request that renews it.
   * @throws TokenRefused when the login fails; TransportFailure of kind `token` when there is no response
   */
  async ask(name: string, credential: LoginCredential, before?: Token): Promise<Token> {
    const fresh = { now: this.now(), nonce: newNonce() };
    const shown = { ...credential, secrets: masked(credential.secrets) };
    const token = before?.accessToken;
    let request: HttpRequest;
    const exchange: LoginExchange = {
      at: fresh.now,
      request: shownRequest(shown, fresh, token === undefined ? undefined : mask),
      response: null,
      failure: null,
    };
    try {
      request = loginRequest(credential, fresh, token);
      requireSafe(request.url);
    } catch (error) {
      if (error instanceof SchemeFault) throw badScheme(error);
      throw error;
    }
    try {
      const response = await this.#send(request);
      exchange.took = this.now() - fresh.now;
      const read = readLogin(credential, response, this.now());
      exchange.response = shownResponse(response);
      if ("fault" in read) {
        exchange.failure = this.credentials.masks.text(read.fault);
        const said = this.credentials.masks.json(readBody(response).body ?? null);
        throw new TokenRefused(explainLogin(response.status, exchange.failure, said));
      }
      const obtainedAt = this.now();
      const expiresAt = read.lives === undefined ? undefined : obtainedAt + read.lives;
      return {
        accessToken: read.token,
        obtainedAt,
        ...(expiresAt === undefined
          ? {}
          : { expiresAt, refreshAt: refreshTime(obtainedAt, expiresAt, Math.random()) }),
      };
    } catch (error) {
      if (error instanceof TransportFailure) exchange.failure = this.credentials.masks.text(error.message);
      throw error;
    } finally {
      this.credentials.noteLogin(name, { exchange });
    }
  }

  /** How long no login is tried after this many failures on end, in milliseconds. */
  static pause(failures: number): number {
    return Math.min(longestPause, firstPause * 2 ** Math.min(failures - 1, 10));
  }

  async #send(request: HttpRequest): Promise<HttpResponse> {
    try {
      return await this.transport.send(request, {
        timeout,
        signal: new AbortController().signal,
        longestResponse,
      });
    } catch (error) {
      if (error instanceof TransportFailure || error instanceof RequestRefused) throw noToken(error.message);
      throw error;
    }
  }
}

const plainFields = new Set(["content-type", "content-length", "date", "server", "retry-after"]);

function masked(secrets: Record<string, string>): Record<string, string> {
  return Object.fromEntries(Object.keys(secrets).map((name) => [name, mask]));
}

function shownRequest(
  credential: LoginCredential,
  fresh: { now: number; nonce: string },
  token: string | undefined,
): LoginExchange["request"] {
  try {
    const { method, url, headers, body } = loginRequest(credential, fresh, token);
    return {
      method,
      url: decodedMask(url),
      headers,
      body: typeof body === "string" ? decodedMask(body) : null,
    };
  } catch (error) {
    if (!(error instanceof SchemeFault)) throw error;
    return { method: "", url: "", headers: [], body: null };
  }
}

/** The mask as it is read, where an address or a form has encoded it. */
function decodedMask(text: string): string {
  return text.replaceAll(encodeURIComponent(mask), mask);
}

function maskedLeaves(value: Json): Json {
  if (Array.isArray(value)) return value.map(maskedLeaves);
  if (isObject(value))
    return Object.fromEntries(Object.entries(value).map(([name, inner]) => [name, maskedLeaves(inner)]));
  return value === null || typeof value === "boolean" ? value : mask;
}

/** A response without any value that may be secret. */
function shownResponse(response: HttpResponse): NonNullable<LoginExchange["response"]> {
  const { status, headers } = response;
  return {
    status,
    headers: Object.entries(headers).map(([name, field]) => [
      name,
      plainFields.has(name) ? String(field) : mask,
    ]),
    body: isShort(response) ? maskedLeaves(readBody(response).body ?? null) : mask,
  };
}

/** Whether a body is short enough to be shown. */
function isShort({ body }: HttpResponse): boolean {
  return body.length <= 10_000;
}

function badScheme(error: SchemeFault): TokenRefused {
  return new TokenRefused({
    code: "other",
    sentence: `The login cannot be put together: ${error.message}`,
    signIn: false,
    passing: false,
  });
}
