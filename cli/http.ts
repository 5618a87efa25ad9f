import type { Fetched } from "@copper-kettle/contract";
import { request as plain, type IncomingMessage, type RequestOptions } from "node:http";
import { Readable } from "node:stream";

interface Sent {
  method?: string;
  headers?: Record<string, string>;
  body?: string;
  signal?: AbortSignal;
}

/**
 * Sends one request. As `fetch` does, but for a short command: Node's own takes longer to load than all that a command
 * does besides.
 */
export async function send(
  url: string,
  { method = "GET", headers = {}, body, signal }: Sent,
): Promise<Fetched> {
  const request = url.startsWith("https:") ? (await import("node:https")).request : plain;
  const options: RequestOptions = {
    method,
    headers: body === undefined ? headers : { ...headers, "Content-Length": Buffer.byteLength(body) },
    ...(signal ? { signal } : {}),
  };
  return new Promise((resolve, reject) => {
    request(url, options, (response) => resolve(fetched(response)))
      .once("error", reject)
      .end(body);
  });
}

function fetched(response: IncomingMessage): Fetched {
  const status = response.statusCode ?? 0;
  return {
    ok: status >= 200 && status <= 299,
    status,
    headers: { get: (name) => response.headers[name.toLowerCase()]?.toString() ?? null },
    get body() {
      return Readable.toWeb(response) as ReadableStream<Uint8Array<ArrayBuffer>>;
    },
    async text() {
      response.setEncoding("utf8");
      let text = "";
      for await (const piece of response) text += piece as string;
      return text;
    },
  };
}
