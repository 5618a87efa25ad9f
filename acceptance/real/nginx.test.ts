import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { readFile } from "node:fs/promises";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { Authority } from "../certificates.kit.js";
import { root } from "../kit.js";
import { freePort } from "../kit.js";
import { program, RealServer, RealWorld } from "./servers.kit.js";

// npm test fetches it where the machine has none.
const nginx = program("/usr/sbin/nginx", join(root, "node_modules/.cache/nginx/usr/sbin/nginx"));

describe.skipIf(!nginx)("nginx", () => {
  const authority = new Authority("Larkspur authority");
  let server: RealServer;
  let real: RealWorld;
  let behind: Server;
  let [plain, tls] = [0, 0];
  const done: string[] = [];
  beforeAll(async () => {
    [plain, tls] = [await freePort(), await freePort()];
    // What stands behind takes each request, and answers some of them too late.
    behind = createServer((request, response) => {
      done.push(`${request.method} ${request.url}`);
      if (request.url === "/cut") return void request.socket.destroy();
      if (request.url === "/late") return void setTimeout(() => response.end("{}"), 3_000);
      response.setHeader("Content-Type", "application/json");
      response.end("{}");
    });
    await new Promise<void>((resolve) => behind.listen(0, "127.0.0.1", resolve));
    const to = `http://127.0.0.1:${(behind.address() as AddressInfo).port}`;
    const { certificate, privateKey } = authority.make("localhost");
    server = await RealServer.make("nginx", {
      "cert.pem": certificate,
      "key.pem": privateKey,
      "nginx.conf": `daemon off; pid nginx.pid; error_log stderr; worker_processes 1;
events {}
http {
  log_format short '$request_method $uri $status $server_protocol'; access_log access.log short;
  client_body_temp_path body; proxy_temp_path proxy; fastcgi_temp_path f; uwsgi_temp_path u; scgi_temp_path s;
  limit_req_zone $binary_remote_addr zone=few:1m rate=5r/s; limit_req_status 429;
  proxy_read_timeout 1s;
  server {
    listen 127.0.0.1:${plain};
    location /few { limit_req zone=few; proxy_pass ${to}; }
    location / { proxy_pass ${to}; }
  }
  server {
    listen 127.0.0.1:${tls} ssl http2;
    ssl_certificate cert.pem; ssl_certificate_key key.pem;
    location / { proxy_pass ${to}; }
  }
}
`,
    });
    await server.start(nginx as string, ["-p", server.folder, "-c", "nginx.conf"], [plain, tls]);
    real = await RealWorld.start([plain, tls]);
  });
  afterAll(async () => {
    await real.close();
    await server.close();
    behind.closeAllConnections();
    behind.close();
  });
  const log = async (): Promise<string[]> =>
    (await readFile(server.path("access.log"), "utf8")).trim().split("\n");
  const at = (path: string): string => `http://127.0.0.1:${plain}${path}`;

  it("refuses some of twelve writing calls for its limit; each is done once", async () => {
    done.length = 0;
    const run = await real.steps(
      "few",
      `- step: all
  each: lists.range(12)
  parallel: 4
  as: n
  steps:
    - { step: put, request: "POST ${at("/few")}/\${n}", body: { json: { n: "\${n}" } }, retry: { times: 20, wait: 200ms, most: 2s } }`,
    );
    expect(run.error).toBeNull();
    expect(new Set(done).size).toBe(12);
    expect(done).toHaveLength(12);
    expect((await log()).some((line) => line.endsWith("429 HTTP/1.1"))).toBe(true);
  });

  it("times out of a writing call that was done: the run is unsure, and nothing is repeated", async () => {
    done.length = 0;
    const run = await real.steps(
      "late",
      `- { step: put, request: "POST ${at("/late")}", body: { json: {} } }`,
    );
    expect(run.state).toBe("unsure");
    expect(done).toEqual(["POST /late"]);
    expect((await log()).at(-1)).toBe("POST /late 504 HTTP/1.1");
    const cut = await real.steps("cut", `- { step: put, request: "POST ${at("/cut")}", body: { json: {} } }`);
    expect(cut.state).toBe("unsure");
    expect((await log()).at(-1)).toBe("POST /cut 502 HTTP/1.1");
  });

  it("repeats a reading call that timed out", async () => {
    done.length = 0;
    const run = await real.steps(
      "look",
      `- { step: get, request: "GET ${at("/late")}", retry: { waits: [10ms] } }`,
    );
    expect(run.error?.message).toContain("504");
    expect(done).toEqual(["GET /late", "GET /late"]);
  });

  it("is reached with an authority of one's own, by HTTP/2 where that is set", async () => {
    const step = `- { step: get, request: "GET https://localhost:${tls}/x" }`;
    expect((await real.steps("tls", step)).error?.message).toContain("unknown authority");
    await real.network(`localhost:${tls}`, { authorities: authority.pem });
    expect((await real.steps("tls", step)).error).toBeNull();
    expect((await log()).at(-1)).toBe("GET /x 200 HTTP/1.1");
    await real.network(`localhost:${tls}`, { authorities: authority.pem, http2: true });
    expect((await real.steps("tls", step)).error).toBeNull();
    expect((await log()).at(-1)).toBe("GET /x 200 HTTP/2.0");
  });
});
