import { parseJson, printJson } from "@copper-kettle/core";
import type { z } from "zod";
import type { AnyRoute, BodyInputOf, OutputOf, ParamsOf, QueryInputOf } from "./route.js";
import { problemDetails, type ProblemDetails } from "./routes/common.js";

/** What the service said instead of doing what was asked. */
export class ProblemError extends Error {
  override name = "ProblemError";
  constructor(readonly problem: ProblemDetails) {
    super(problem.detail ?? problem.title);
  }
}

/** The service could not be reached, or something else answers at its address. */
export class Unreachable extends Error {
  override name = "Unreachable";
}

export interface ClientOptions {
  /** The service's address, such as http://127.0.0.1:4100. Empty in a browser: the page's own. */
  baseUrl: string;
  token?: string;
  /** Sends a request; the platform's own `fetch` where it is left out. */
  fetch?: (
    url: string,
    sent: { method: string; headers: Record<string, string>; body?: string; signal?: AbortSignal },
  ) => Promise<Fetched>;
}

/** What the client wants of a response; that of the Fetch standard has all of it. */
export type Fetched = Pick<Response, "ok" | "status" | "text" | "body"> & { headers: Pick<Headers, "get"> };

type Part<K extends string, V> = [V] extends [undefined] ? { [P in K]?: undefined } : { [P in K]: V };
export type CallInput<R> = Part<"params", ParamsOf<R>> &
  ([QueryInputOf<R>] extends [undefined] ? { query?: undefined } : { query?: QueryInputOf<R> }) &
  Part<"body", BodyInputOf<R>> & { headers?: Record<string, string>; signal?: AbortSignal };

export interface Client {
  /**
   * Calls a route.
   * @throws ProblemError when the service refuses; Unreachable when there is no service
   */
  call<R extends AnyRoute>(
    route: R,
    ...input: object extends CallInput<R> ? [CallInput<R>?] : [CallInput<R>]
  ): Promise<OutputOf<R>>;
  /** The same, with the body as text: for one that is long, and is parsed elsewhere. @throws as {@link call} */
  text(route: AnyRoute, input: Input): Promise<string>;
  /** The same, with the response as it came. */
  send(route: AnyRoute, input: Input): Promise<Fetched>;
}

export interface Input {
  params?: unknown;
  query?: unknown;
  body?: unknown;
  headers?: Record<string, string>;
  signal?: AbortSignal;
}

/** The URL of a route: its `{name}` parts filled in, its query behind. */
export function urlOf(route: AnyRoute, input: { params?: unknown; query?: unknown }): string {
  const params = (input.params ?? {}) as Record<string, unknown>;
  const path = route.path.replace(/\{(\w+)\}/g, (_, key: string) => encodeURIComponent(String(params[key])));
  const query = Object.entries((input.query ?? {}) as Record<string, unknown>).filter(
    ([, value]) => value !== undefined,
  );
  if (query.length === 0) return path;
  return `${path}?${new URLSearchParams(query.map(([key, value]) => [key, String(value)])).toString()}`;
}

/** A typed client of the service, made from its routes. */
export function createClient(options: ClientOptions): Client {
  const send = async (route: AnyRoute, input: Input): Promise<Fetched> => {
    const headers: Record<string, string> = {
      Accept: route.events ? "text/event-stream" : "application/json",
      ...input.headers,
    };
    if (options.token) headers["Authorization"] = `Bearer ${options.token}`;
    const body = route.body ? printJson(input.body ?? {}) : undefined;
    if (body !== undefined) headers["Content-Type"] = "application/json";
    const doFetch = options.fetch ?? fetch;
    try {
      return await doFetch(options.baseUrl + urlOf(route, input), {
        method: route.method,
        headers,
        ...(body === undefined ? {} : { body }),
        ...(input.signal ? { signal: input.signal } : {}),
      });
    } catch (error) {
      if ((error as Error).name === "AbortError") throw error;
      throw new Unreachable(`There is no service at ${options.baseUrl || "this page's address"}.`, {
        cause: error,
      });
    }
  };
  const good = async (route: AnyRoute, input: Input): Promise<Fetched> => {
    const response = await send(route, input);
    if (!response.ok) throw await problemOf(response, options.baseUrl);
    return response;
  };
  return {
    send,
    text: async (route, input) => (await good(route, input)).text(),
    async call(route, ...[input]) {
      const response = await good(route, input ?? {});
      if (response.status === 204) return undefined as never;
      const text = await response.text();
      return (route.output as z.ZodType).parse(parseJson(text)) as never;
    },
  };
}

/** The problem details of a response that is not a success. */
export async function problemOf(response: Fetched, baseUrl: string): Promise<Error> {
  const text = await response.text();
  if (response.headers.get("content-type")?.includes("application/problem+json")) {
    const parsed = problemDetails.safeParse(parseJson(text));
    if (parsed.success) return new ProblemError(parsed.data);
  }
  return new Unreachable(
    `The server at ${baseUrl} is not Copper Kettle: ${response.status} ${text.slice(0, 200)}`,
  );
}
