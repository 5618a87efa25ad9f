import { printJson } from "@copper-kettle/core";
import type { Request, Response } from "express";
import type { Session } from "better-sse";

/** Opens a stream of server-sent events; ends with the request. */
export async function openStream(request: Request, response: Response): Promise<Session> {
  const { createSession } = await import("better-sse"); // the service starts sooner
  return createSession(request, response, { serializer: (data) => printJson(data), keepAlive: 15_000 });
}
