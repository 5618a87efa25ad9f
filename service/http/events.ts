import { printJson } from "@copper-kettle/core";
import type { Request, Response } from "express";
import { createSession, type Session } from "better-sse";

/** Opens a stream of server-sent events; ends with the request. */
export function openStream(request: Request, response: Response): Promise<Session> {
  return createSession(request, response, { serializer: (data) => printJson(data), keepAlive: 15_000 });
}
