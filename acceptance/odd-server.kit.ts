import { createServer, type IncomingMessage, type ServerResponse } from "node:http";
import type { AddressInfo } from "node:net";
import { deflateRawSync, gzipSync } from "node:zlib";

/** A request as it arrived. */
export interface Arrived {
  method: string;
  url: string;
  headers: IncomingMessage["headers"];
  body: Buffer;
}

export interface OddServer {
  url: string;
  /** What arrived, the oldest first. */
  requests: Arrived[];
  close(): Promise<void>;
}

type Answer = [status: number, headers: Record<string, string | string[]>, body: string | Buffer];
export const pixel = Buffer.from(
  "iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==",
  "base64",
);
const json = { "Content-Type": "application/json" };

const answers: Record<string, (arrived: Arrived) => Answer> = {
  "/guest": () => [200, json, '{"id":"g-1","age":12345678901234567890,"hut":null}'],
  "/html": () => [200, { "Content-Type": "text/html" }, "<title>Sign in</title>"],
  "/xml": () => [200, { "Content-Type": "application/xml" }, '<huts><hut id="1">Corrie</hut></huts>'],
  "/csv": () => [200, { "Content-Type": "text/csv" }, "hut,beds\ncorrie,12\n"],
  "/picture.png": () => [200, { "Content-Type": "image/png" }, pixel],
  "/drawing.svg": () => [200, { "Content-Type": "image/svg+xml; q=1" }, "<svg onload='alert(1)'/>"],
  "/page.bin": () => [200, { "Content-Type": "application/octet-stream" }, "<script>alert(1)</script>"],
  "/key.png": ({ headers }) => [200, { "Content-Type": "image/png" }, `PNG ${headers.authorization ?? ""}`],
  "/broken": () => [200, json, '{"items":[1,2'],
  "/latin": () => [200, { "Content-Type": "text/plain; charset=iso-8859-1" }, Buffer.from([0x48, 0xfc])],
  "/gzip": () => [200, { ...json, "Content-Encoding": "gzip" }, gzipSync('{"packed":true}')],
  "/deflate": () => [200, { ...json, "Content-Encoding": "deflate" }, deflateRawSync('{"packed":"raw"}')],
  "/not-gzip": () => [200, { ...json, "Content-Encoding": "gzip" }, "plain"],
  "/bomb": () => [200, { ...json, "Content-Encoding": "gzip" }, gzipSync(Buffer.alloc(200_000_000))],
  "/moved": () => [302, { Location: "/guest" }, ""],
  "/cookies": () => [200, { ...json, "Set-Cookie": ["desk=corrie; Path=/", "lang=en"] }, "{}"],
  "/wants-form": () => [415, json, '{"message":"form only"}'],
  "/field": () => [422, json, '{"message":"not good","field":"beds"}'],
  "/only-post": ({ method }) =>
    method === "POST" ? [201, json, '{"made":true}'] : [405, { ...json, Allow: "POST" }, "{}"],
};

/** An API with responses as they should not be, on loopback. */
export async function oddServer(): Promise<OddServer> {
  const requests: Arrived[] = [];
  const handle = (request: IncomingMessage, response: ServerResponse): void => {
    const pieces: Buffer[] = [];
    request.on("data", (piece: Buffer) => pieces.push(piece));
    request.on("end", () => {
      const { method = "", url = "/", headers } = request;
      const arrived = { method, url, headers, body: Buffer.concat(pieces) };
      requests.push(arrived);
      const [path = "/"] = url.split("?");
      const [status, fields, body] = answers[path]?.(arrived) ?? [404, json, "{}"];
      response.writeHead(status, fields).end(body);
    });
  };
  const server = createServer(handle);
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  const { port } = server.address() as AddressInfo;
  return {
    url: `http://127.0.0.1:${port}`,
    requests,
    close: () =>
      new Promise((resolve) => {
        server.close(() => resolve());
        server.closeAllConnections();
      }),
  };
}
