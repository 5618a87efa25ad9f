import {
  headerOf,
  inPieces,
  joinHeaders,
  RequestRefused,
  TransportFailure,
  type BrokenBody,
  type HttpRequest,
  type HttpResponse,
  type SendOptions,
  type Transport,
} from "@copper-kettle/core";
import { Readable } from "node:stream";
import type { Dispatcher } from "undici";
import { Connections, type HostNetwork } from "./connections.js";
import { acceptedEncodings, responseTooLarge, decodeBody } from "./decode.js";
import { BodyFault, failureOf } from "./failure.js";
import { checkLiteral, type AddressRule } from "./guard.js";

export interface TransportOptions {
  rule: AddressRule;
  /** The largest response that is read, in bytes after decoding. */
  longestResponse: number;
  userAgent: string;
  /** How one reaches a host. @throws RequestRefused when that cannot be had */
  network?(url: URL): HostNetwork;
}

const asUsual: HostNetwork = {};

/** Sends requests over HTTP with undici: addresses are guarded, responses are limited, nothing is followed or repeated. */
export class HttpTransport implements Transport {
  readonly #connections: Connections;
  /** Hosts whose literal address was looked at before; the rule never changes. */
  readonly #passed = new Set<string>();

  constructor(readonly options: TransportOptions) {
    this.#connections = new Connections(options.rule);
  }

  async send(request: HttpRequest, options: SendOptions): Promise<HttpResponse> {
    const url = new URL(request.url);
    const port = Number(url.port || (url.protocol === "https:" ? 443 : 80));
    if (!this.#passed.has(url.host)) {
      checkLiteral(url.hostname, port, this.options.rule);
      if (this.#passed.size < 1_000) this.#passed.add(url.host);
    }
    const network = this.options.network?.(url) ?? asUsual;
    const headers = request.headers.flat();
    if (!headerOf(request.headers, "user-agent")) headers.push("User-Agent", this.options.userAgent);
    // What is judged as it comes must come as it is.
    const codings = options.enough ? "identity" : acceptedEncodings;
    if (!headerOf(request.headers, "accept-encoding")) headers.push("Accept-Encoding", codings);
    if (inPieces(request.body)) headers.push("Content-Length", String(request.body.size));
    const longestResponse = Math.min(
      this.options.longestResponse,
      options.longestResponse ?? Number.POSITIVE_INFINITY,
    );
    const exchange = new Exchange(request.url, url.host, longestResponse, options.enough);
    const { connect, response } = options.timeout;
    const timer = setTimeout(() => exchange.cut("timeout"), connect + response);
    // Not a matter of the connection: it may serve others that wait longer, and calls under a deadline come with any time.
    const connecting = setTimeout(() => exchange.begun || exchange.cut("connect"), connect);
    const signal = options.signal as globalThis.AbortSignal;
    const stop = (): void => exchange.cut("stop");
    signal.addEventListener("abort", stop, { once: true });
    try {
      if (signal.aborted) exchange.cut("stop");
      else {
        this.#connections.agent(port, network, options.identity).dispatch(
          {
            origin: url.origin,
            path: url.pathname + url.search,
            method: request.method as Dispatcher.HttpMethod,
            headers,
            body: sentBody(request.body, exchange),
            headersTimeout: options.timeout.response,
            bodyTimeout: options.timeout.response,
          },
          exchange,
        );
      }
      const response = await exchange.response;
      if (response.headers["content-encoding"] === undefined) return response;
      return {
        ...response,
        body: await decodeBody(response.body, response.headers, { host: url.host, most: longestResponse }),
      };
    } catch (error) {
      const failure = failureOf(error, exchange, options, url);
      const broken = options.broken ? brokenBody(failure) : undefined;
      if (broken && exchange.head) return { ...exchange.head, body: new Uint8Array(), broken };
      throw failure;
    } finally {
      clearTimeout(timer);
      clearTimeout(connecting);
      signal.removeEventListener("abort", stop);
    }
  }

  close(): Promise<void> {
    return this.#connections.close();
  }

  /** How many kinds of connections are open. */
  get kinds(): number {
    return this.#connections.kinds;
  }
}

/** A body as undici takes it. One in pieces that breaks off in our own house is no fault of the connection. */
function sentBody(body: HttpRequest["body"], exchange: Exchange): string | Uint8Array | Readable | null {
  if (!inPieces(body)) return body ?? null;
  const pieces = body.pieces();
  async function* watched(): AsyncGenerator<Uint8Array> {
    try {
      yield* pieces;
    } catch (error) {
      exchange.bodyFault = error as Error;
      throw error;
    }
  }
  return Readable.from(watched());
}

/** Why a response that came has no body; undefined for what is not a response. */
function brokenBody(failure: Error): BrokenBody | undefined {
  const { message } = failure;
  if (failure instanceof BodyFault) return { code: "coding", message };
  if (failure instanceof RequestRefused)
    return failure.code === "response-too-large" ? { code: failure.code, message } : undefined;
  return failure instanceof TransportFailure && !failure.aborted ? { code: "cut", message } : undefined;
}

/** One request under way: collects its response, and knows whether it was handed to a socket. */
class Exchange implements Dispatcher.DispatchHandler {
  readonly response: Promise<HttpResponse>;
  /** Whether the request was being handed to a connected socket: from then on its fate may be unknown. */
  begun = false;
  /** Why it was cut off by us. */
  reason: "connect" | "timeout" | "stop" | undefined;
  /** Why our own body could not be read to its end. */
  bodyFault: Error | undefined;
  /** The status line and the header fields, as soon as they have come. */
  head: Omit<HttpResponse, "body"> | undefined;
  #resolve!: (response: HttpResponse) => void;
  #reject!: (error: unknown) => void;
  #controller: Dispatcher.DispatchController | undefined;
  readonly #pieces: Uint8Array[] = [];
  /** How many bytes of the body have come. */
  size = 0;

  constructor(
    readonly url: string,
    readonly host: string,
    readonly longestResponse: number,
    readonly enough: SendOptions["enough"],
  ) {
    this.response = new Promise((resolve, reject) => {
      this.#resolve = resolve;
      this.#reject = reject;
    });
  }

  cut(reason: "connect" | "timeout" | "stop"): void {
    this.reason = reason;
    const error = new Error(reason);
    this.#controller?.abort(error);
    this.#reject(error);
  }

  onRequestStart(controller: Dispatcher.DispatchController): void {
    if (this.reason) return controller.abort(new Error(this.reason));
    this.begun = true;
    this.#controller = controller;
  }

  onResponseStart(
    _controller: unknown,
    status: number,
    headers: Record<string, string | string[] | undefined>,
  ): void {
    this.head = { status, headers: joinHeaders(Object.entries(headers)), url: this.url };
  }

  onResponseData(controller: Dispatcher.DispatchController, piece: Uint8Array): void {
    this.size += piece.length;
    if (this.size > this.longestResponse) {
      const error = responseTooLarge(this.host, this.longestResponse);
      this.#reject(error);
      controller.abort(error);
      return;
    }
    this.#pieces.push(piece);
    if (!this.#isEnough(piece)) return;
    this.onResponseEnd(controller, true);
    controller.abort(new Error("No more of this response is wanted."));
  }

  #isEnough(piece: Uint8Array): boolean {
    const { status = 0, headers = {} } = this.head ?? {};
    if (!this.enough || status < 200 || status > 299 || headers["content-encoding"] !== undefined)
      return false;
    return this.enough(piece);
  }

  onResponseEnd(_controller: unknown, partial?: unknown): void {
    const body = this.#pieces.length === 1 ? (this.#pieces[0] as Uint8Array) : Buffer.concat(this.#pieces);
    const head = this.head as Omit<HttpResponse, "body">;
    this.#resolve({ ...head, body, ...(partial === true ? { partial } : {}) });
  }

  onResponseError(_controller: unknown, error: Error): void {
    this.#reject(error);
  }
}
