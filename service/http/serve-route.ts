import {
  takes,
  type AnyRoute,
  type BodyOf,
  type OutputOf,
  type ParamsOf,
  type QueryOf,
} from "@copper-kettle/contract";
import type { JsonSyntaxError, Principal } from "@copper-kettle/core";
import { bounds, parseJson, printJson } from "@copper-kettle/core";
import express, { type Express, type NextFunction, type Request, type Response } from "express";
import { setImmediate } from "node:timers/promises";
import type { z } from "zod";
import { HttpProblem, invalid, tooLarge } from "./problems.js";
import { requireOwner } from "./rights.js";

/** What a route's handler gets: its input, checked. */
export interface Call<R> {
  params: ParamsOf<R>;
  query: QueryOf<R>;
  body: BodyOf<R>;
  /** Who calls. */
  by: Principal;
  request: Request;
  response: Response;
}

/** Thrown away by the caller: the handler has answered by itself. */
export const answered = Symbol("answered");

type Output<R> = OutputOf<R> extends undefined ? void : OutputOf<R>;

/** Longer than this, in characters, a body takes a time that others notice. */
const longBody = 1_000_000;

/** Serves a route of the contract: checks what comes in, and prints what goes out. */
export function serve<R extends AnyRoute>(
  app: Express,
  route: R,
  handle: (call: Call<R>) => Promise<Output<R> | typeof answered>,
): void {
  const method = route.method.toLowerCase() as "get" | "post" | "put" | "delete";
  const path = route.path.replace(/\{(\w+)\}/g, ":$1");
  const limit = route.most ?? bounds.requestBody;
  // Nothing of a body is read before it is known who sends it, and that they may.
  const before = [
    allowed(route, limit),
    ...(takes(route) === "json" ? [express.text({ type: () => true, limit })] : []),
  ];
  app[method](path, ...before, async (request: Request, response: Response) => {
    const by = callerOf(route, response);
    // A long text is decoded and parsed in turns of their own, so that others are answered between.
    if (typeof request.body === "string" && request.body.length > longBody) await setImmediate();
    const call = {
      params: checked(route.params, whole(request.params, "path"), "path"),
      query: checked(route.query, whole(request.query, "query"), "query"),
      body: checked(route.body, route.body ? readJson(request) : undefined, "body"),
      by,
      request,
      response,
    } as Call<R>;
    const output = await handle(call);
    if (output === answered) return;
    if (output === undefined) response.status(route.status).end();
    else sendJson(response, route.status, output);
  });
}

/** Aborted when whoever asked goes away before the response is whole. */
export function goneOf(response: Response): AbortSignal {
  const gone = new AbortController();
  response.once("close", () => {
    if (!response.writableEnded) gone.abort();
  });
  return gone.signal;
}

const allowed =
  (route: AnyRoute, limit: number) =>
  (request: Request, response: Response, next: NextFunction): void => {
    const by = callerOf(route, response);
    if (route.needs === "owner") requireOwner(by);
    if (takes(route) === "json" && Number(request.headers["content-length"]) > limit) throw tooLarge(limit);
    next();
  };

/** Who calls a route that needs nobody: they may do no more than that. */
const nobody: Principal = { kind: "person", id: "nobody" };

/** Who calls: a route that needs somebody is never served to nobody, wherever it was put. */
function callerOf({ needs, path }: AnyRoute, response: Response): Principal {
  const by = response.locals["by"] as Principal | undefined;
  if (by === undefined && needs !== "nothing")
    throw new Error(`${path} is served before anybody is asked who calls.`);
  return by ?? nobody;
}

/** No name or text of a URL holds a NUL: the database would end the text there. */
function whole<T extends object>(values: T, where: "query" | "path"): T {
  for (const [name, value] of Object.entries(values))
    if (String(value).includes("\u0000"))
      throw new HttpProblem(
        400,
        "invalid-request",
        "Invalid request",
        `In the ${where}: ${name} holds a NUL.`,
      );
  return values;
}

function checked(schema: z.ZodType | undefined, value: unknown, where: "body" | "query" | "path"): unknown {
  if (!schema) return undefined;
  const result = schema.safeParse(value);
  if (!result.success) throw invalid(where, result.error);
  return result.data;
}

/** The body as JSON, read so that long numbers keep their digits. An empty one stands for {}. */
function readJson(request: Request): unknown {
  const text = typeof request.body === "string" ? request.body : "";
  if (text.trim() === "") return {};
  const type = request.get("content-type") ?? "";
  if (!/json/i.test(type))
    throw new HttpProblem(
      415,
      "unsupported-media-type",
      "Not JSON",
      `The body must be JSON, with Content-Type: application/json; this is "${type}".`,
    );
  try {
    return parseJson(text);
  } catch (error) {
    const at = (error as JsonSyntaxError).position;
    const where = at === undefined ? "" : ` at character ${at + 1}`;
    throw new HttpProblem(
      400,
      "invalid-json",
      "The body is not JSON",
      `The body is not JSON${where}: ${(error as Error).message}`,
    );
  }
}

export function sendJson(
  response: Response,
  status: number,
  value: unknown,
  type = "application/json",
): void {
  // Straight to Node: no tag is computed that nobody asks for, and no type looked up.
  const body = Buffer.from(printJson(value));
  response.statusCode = status;
  response.setHeader("Content-Type", `${type}; charset=utf-8`);
  response.setHeader("Content-Length", body.length);
  response.end(body);
}
