import {
  joinHeaders,
  RequestRefused,
  TransportFailure,
  type HttpRequest,
  type HttpResponse,
  type SendOptions,
  type Transport,
} from "@copper-kettle/core";
import { Agent, buildConnector, type Dispatcher } from "undici";
import { checkLiteral, guardedLookup, type AddressRule } from "./guard.js";

export interface TransportOptions {
  rule: AddressRule;
  /** The largest answer that is read, in bytes after decoding. */
  mostAnswer: number;
  userAgent: string;
}

/** Sends requests over HTTP/1.1 with undici: addresses are guarded, answers are limited, nothing is followed or repeated. */
export class HttpTransport implements Transport {
  readonly #agents = new Map<string, Agent>();

  constructor(readonly options: TransportOptions) {}

  async send(request: HttpRequest, options: SendOptions): Promise<HttpResponse> {
    const url = new URL(request.url);
    const port = Number(url.port || (url.protocol === "https:" ? 443 : 80));
    checkLiteral(url.hostname, port, this.options.rule);
    const sent = { begun: false };
    const timer = new AbortController();
    const timeout = setTimeout(() => timer.abort(), options.timeout.connect + options.timeout.answer);
    const signal = options.signal as globalThis.AbortSignal;
    const cut = (): void => timer.abort();
    signal.addEventListener("abort", cut, { once: true });
    try {
      if (signal.aborted) throw new Error("aborted");
      return await this.#dispatch(url, port, request, options, sent, timer.signal);
    } catch (error) {
      throw failureOf(error, sent.begun, signal.aborted, timer.signal.aborted, options, url);
    } finally {
      clearTimeout(timeout);
      signal.removeEventListener("abort", cut);
    }
  }

  async close(): Promise<void> {
    await Promise.all([...this.#agents.values()].map((agent) => agent.destroy()));
  }

  async #dispatch(
    url: URL,
    port: number,
    request: HttpRequest,
    options: SendOptions,
    sent: { begun: boolean },
    signal: AbortSignal,
  ): Promise<HttpResponse> {
    const agent = this.#agent(port, options.timeout.connect);
    const headers = request.headers.some(([name]) => name.toLowerCase() === "user-agent")
      ? request.headers
      : [...request.headers, ["User-Agent", this.options.userAgent] as [string, string]];
    const response = await agent.compose(noting(sent)).request({
      origin: url.origin,
      path: url.pathname + url.search,
      method: request.method as Dispatcher.HttpMethod,
      headers: headers.flat(),
      body: request.body ?? null,
      headersTimeout: options.timeout.answer,
      bodyTimeout: options.timeout.answer,
      signal,
    });
    const body = await this.#read(response.body, url);
    return {
      status: response.statusCode,
      headers: joinHeaders(Object.entries(response.headers)),
      body,
      url: request.url,
    };
  }

  async #read(stream: AsyncIterable<Buffer>, url: URL): Promise<Uint8Array> {
    const pieces: Buffer[] = [];
    let size = 0;
    for await (const piece of stream) {
      size += piece.length;
      if (size > this.options.mostAnswer) {
        throw new RequestRefused(
          "answer-too-large",
          `The answer of ${url.host} is larger than ${this.options.mostAnswer} bytes, the most that is read.`,
        );
      }
      pieces.push(piece);
    }
    return pieces.length === 1 ? (pieces[0] as Buffer) : Buffer.concat(pieces);
  }

  #agent(port: number, connectTimeout: number): Agent {
    const key = `${port}/${connectTimeout}`;
    let agent = this.#agents.get(key);
    if (!agent) {
      const connect = buildConnector({
        timeout: connectTimeout,
        lookup: guardedLookup(this.options.rule, port) as never,
      });
      agent = new Agent({ connect, connections: 128, pipelining: 1, keepAliveTimeout: 4_000 });
      this.#agents.set(key, agent);
    }
    return agent;
  }
}

/** Notes that a request is being handed to a connected socket: from then on its fate may be unknown. */
function noting(sent: { begun: boolean }): Dispatcher.DispatcherComposeInterceptor {
  return (dispatch) => (options, handler) =>
    dispatch(options, {
      onRequestStart(controller, context) {
        sent.begun = true;
        handler.onRequestStart?.(controller, context);
      },
      onRequestUpgrade: (...given) => handler.onRequestUpgrade?.(...given),
      onResponseStart: (...given) => handler.onResponseStart?.(...given),
      onResponseData: (...given) => handler.onResponseData?.(...given),
      onResponseEnd: (...given) => handler.onResponseEnd?.(...given),
      onResponseError: (...given) => handler.onResponseError?.(...given),
    });
}

const notConnected = new Set([
  "ECONNREFUSED",
  "EHOSTUNREACH",
  "ENETUNREACH",
  "EADDRNOTAVAIL",
  "UND_ERR_CONNECT_TIMEOUT",
]);
const notResolved = new Set(["ENOTFOUND", "EAI_AGAIN", "EAI_FAIL"]);

function failureOf(
  error: unknown,
  begun: boolean,
  stopped: boolean,
  timedOut: boolean,
  options: SendOptions,
  url: URL,
): Error {
  if (error instanceof RequestRefused) return error;
  const cause = rootCause(error);
  if (cause instanceof RequestRefused) return cause;
  const code = (cause as NodeJS.ErrnoException).code ?? "";
  if (stopped) return new TransportFailure("cut", "It was cut off by a stop.", begun, true);
  if (notResolved.has(code))
    return new TransportFailure("dns", `The name ${url.hostname} is not known (${code}).`, false);
  if (code === "UND_ERR_CONNECT_TIMEOUT")
    return new TransportFailure(
      "timeout",
      `${url.host} did not take the connection within ${options.timeout.connect} ms.`,
      false,
    );
  if (notConnected.has(code) && !begun)
    return new TransportFailure("connect", `Nothing takes connections at ${url.host} (${code}).`, false);
  if (/^(ERR_TLS|CERT_|DEPTH_ZERO|SELF_SIGNED|UNABLE_TO_|ERR_SSL|EPROTO)/.test(code) && !begun) {
    return new TransportFailure(
      "tls",
      `The TLS connection to ${url.host} failed: ${(cause as Error).message}`,
      false,
    );
  }
  if (timedOut || /TIMEOUT/.test(code))
    return new TransportFailure(
      "timeout",
      `${url.host} did not answer within ${options.timeout.answer} ms.`,
      begun,
    );
  if (begun)
    return new TransportFailure(
      "cut",
      `The connection to ${url.host} ended before the whole answer came (${code || (cause as Error).message}).`,
      true,
    );
  return new TransportFailure(
    "connect",
    `The connection to ${url.host} failed (${code || (cause as Error).message}).`,
    false,
  );
}

function rootCause(error: unknown): unknown {
  let cause = error;
  for (let depth = 0; depth < 5; depth++) {
    const inner = cause instanceof AggregateError ? cause.errors[0] : (cause as Error | undefined)?.cause;
    if (!inner) break;
    cause = inner;
  }
  return cause;
}
