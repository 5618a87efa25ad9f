import type { z } from "zod";

/** One route of the service's HTTP API: the one place where its path, its input and its output are said. */
export interface Route<P extends z.ZodType, Q extends z.ZodType, B extends z.ZodType, O extends z.ZodType> {
  method: "GET" | "POST" | "PUT" | "DELETE";
  /** Path with `{name}` parts, as in OpenAPI. */
  path: string;
  summary: string;
  params?: P;
  query?: Q;
  body?: B;
  /**
   * How the body of a request is read: as JSON, as bytes that the handler takes from the stream, or not at all. Without
   * it: JSON where there is a schema of it, else none.
   */
  takes?: "json" | "bytes" | "none";
  /** How long the body may be, in bytes; without it as the service says for all. */
  most?: number;
  output: O;
  /** The status of a success. */
  status: 200 | 201 | 202 | 204;
  /** What a caller must have: `nothing`; an access token or a session (`token`); one of the `owner`. */
  needs: "nothing" | "token" | "owner";
  /** Whether the response is a stream of server-sent events (WHATWG HTML, section 9.2), each of type `output`. */
  events?: true;
  /** Whether the response is bytes, and no JSON. */
  bytes?: true;
}

/** How a route reads the body of a request. */
export const takes = (route: AnyRoute): "json" | "bytes" | "none" =>
  route.takes ?? (route.body ? "json" : "none");

export type AnyRoute = Route<z.ZodType, z.ZodType, z.ZodType, z.ZodType>;
export type ParamsOf<R> = R extends Route<infer P, z.ZodType, z.ZodType, z.ZodType> ? z.output<P> : never;
export type QueryOf<R> = R extends Route<z.ZodType, infer Q, z.ZodType, z.ZodType> ? z.output<Q> : never;
export type QueryInputOf<R> = R extends Route<z.ZodType, infer Q, z.ZodType, z.ZodType> ? z.input<Q> : never;
export type BodyOf<R> = R extends Route<z.ZodType, z.ZodType, infer B, z.ZodType> ? z.output<B> : never;
export type BodyInputOf<R> = R extends Route<z.ZodType, z.ZodType, infer B, z.ZodType> ? z.input<B> : never;
export type OutputOf<R> = R extends Route<z.ZodType, z.ZodType, z.ZodType, infer O> ? z.output<O> : never;

export function route<
  P extends z.ZodType = z.ZodUndefined,
  Q extends z.ZodType = z.ZodUndefined,
  B extends z.ZodType = z.ZodUndefined,
  O extends z.ZodType = z.ZodUndefined,
>(definition: Route<P, Q, B, O>): Route<P, Q, B, O> {
  return definition;
}
