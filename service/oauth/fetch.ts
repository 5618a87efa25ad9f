import {
  httpDate,
  isObject,
  mediaTypeOf,
  parseJson,
  printJson,
  RequestRefused,
  TransportFailure,
  type HttpResponse,
  type Json,
  type JsonObject,
  type TlsIdentity,
  type TokenRefusal,
  type Transport,
} from "@copper-kettle/core";

/** An endpoint of an authorization server answered, and said no. */
export class EndpointRefusal extends Error {
  override name = "EndpointRefusal";
  constructor(readonly refusal: TokenRefusal) {
    super(refusal.description ?? refusal.error);
  }
}

/** The largest response that is read from an authorization server, in bytes. */
const longestResponse = 1_048_576;
const timeout = { connect: 10_000, response: 20_000 };

/** What the OAuth library hands to a `fetch` of its user's. */
export interface FetchOptions {
  method: string;
  headers: Record<string, string>;
  body?: unknown;
}

/**
 * The `fetch` that the OAuth library works with: through our own transport, and with responses put right that real
 * services give and RFC 6749 does not know (form-encoded, status 201, no token type, errors with status 200).
 */
export class EndpointFetch {
  /** How far our clock is ahead of each host's, in milliseconds, as its responses say (`Date`, RFC 9110 section 6.6.1). */
  readonly #ahead = new Map<string, number>();

  constructor(
    readonly transport: Transport,
    readonly now: () => number,
  ) {}

  clockAhead(url: string): number {
    return this.#ahead.get(new URL(url).host) ?? 0;
  }

  /** A `fetch` for metadata documents: whatever comes back goes to the library. */
  readonly metadata = async (url: string, options: FetchOptions): Promise<Response> => {
    const response = await this.#send(url, options, undefined);
    return new Response(Buffer.from(response.body), {
      status: response.status,
      headers: { "Content-Type": String(response.headers["content-type"] ?? "") },
    });
  };

  /**
   * A `fetch` for a token endpoint; what it gives is a conforming response. Where the issuer is not known, an ID token
   * cannot be validated: it is set aside as `unchecked_id_token`, for show.
   * @throws EndpointRefusal when the endpoint says no; TransportFailure of kind `token` when it cannot be understood
   */
  readonly token =
    (identity: TlsIdentity | undefined, issuerKnown: boolean) =>
    async (url: string, options: FetchOptions): Promise<Response> => {
      const response = await this.#send(url, options, identity);
      const answer = readAnswer(response, url);
      const fault = this.#refusalOf(answer, response, url);
      if (fault) throw new EndpointRefusal(fault);
      return new Response(printJson(conforming(answer, issuerKnown)), {
        status: 200,
        headers: { "Content-Type": "application/json" },
      });
    };

  async #send(
    url: string,
    { method, headers, body }: FetchOptions,
    identity: TlsIdentity | undefined,
  ): Promise<HttpResponse> {
    const request = {
      method,
      url,
      headers: Object.entries(headers),
      ...(body === undefined || body === null ? {} : { body: String(body) }),
    };
    const signal = new AbortController().signal;
    try {
      const options = { timeout, signal, longestResponse, ...(identity ? { identity } : {}) };
      const response = await this.transport.send(request, options);
      this.#measure(response, url);
      return response;
    } catch (error) {
      if (error instanceof TransportFailure || error instanceof RequestRefused) throw noToken(error.message);
      throw error;
    }
  }

  #measure({ headers }: HttpResponse, url: string): void {
    const now = this.now();
    const date = typeof headers["date"] === "string" ? httpDate(headers["date"], now) : undefined;
    // The field has whole seconds: less than two are within its grain.
    if (date !== undefined) this.#ahead.set(new URL(url).host, Math.abs(now - date) < 2_000 ? 0 : now - date);
  }

  #refusalOf(answer: JsonObject, { status }: HttpResponse, url: string): TokenRefusal | undefined {
    const text = (name: string) => (typeof answer[name] === "string" ? answer[name] : undefined);
    const error = text("error");
    if (status >= 200 && status <= 299 && error === undefined) return undefined;
    const description = text("error_description") ?? text("message") ?? text("detail");
    return {
      status,
      error: error ?? "none",
      clockAhead: this.clockAhead(url),
      ...(description === undefined ? {} : { description }),
    };
  }
}

/** No token could be had at the moment: nothing of the call itself was sent. */
export function noToken(why: string): TransportFailure {
  return new TransportFailure("token", `No token:  ${why}`, false);
}

function readAnswer(response: HttpResponse, url: string): JsonObject {
  const { host, pathname } = new URL(url);
  const where = `${host}${pathname}`;
  const { type } = mediaTypeOf(response.headers["content-type"]);
  const text = new TextDecoder().decode(response.body);
  if (type === "application/x-www-form-urlencoded") return Object.fromEntries(new URLSearchParams(text));
  let json: Json | undefined;
  try {
    json = parseJson(text);
  } catch {
    json = undefined;
  }
  if (isObject(json)) return json;
  const what = type === "text/html" ? "an HTML page" : type ? `no JSON object (${type})` : "no JSON object";
  const hint =
    response.status >= 300 && response.status < 400
      ? ` It redirects to ${String(response.headers["location"] ?? "nowhere")}; give the address that it redirects to.`
      : response.status === 404 || type === "text/html"
        ? " Is it the token endpoint?"
        : "";
  throw noToken(`${where} answered ${response.status} with ${what}.${hint}`);
}

/** A token response as RFC 6749 section 5.1 has it. */
function conforming(answer: JsonObject, issuerKnown: boolean): JsonObject {
  const { token_type: type, expires_in: life, id_token: idToken, ...rest } = answer;
  const seconds = typeof life === "string" ? Number(life) : life;
  return {
    ...rest,
    ...(typeof idToken === "string" ? { [issuerKnown ? "id_token" : "unchecked_id_token"]: idToken } : {}),
    token_type: typeof type === "string" && type !== "" ? type : "Bearer",
    ...(typeof seconds === "number" && Number.isFinite(seconds) && seconds > 0
      ? { expires_in: seconds }
      : {}),
  };
}
