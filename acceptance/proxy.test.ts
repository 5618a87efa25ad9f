import { routes } from "@copper-kettle/contract";
import { spawn, type ChildProcess } from "node:child_process";
import { createHmac } from "node:crypto";
import { once } from "node:events";
import { existsSync } from "node:fs";
import { mkdtemp, rm, writeFile } from "node:fs/promises";
import { request } from "node:https";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { Authority } from "./certificates.kit.js";
import { freePort, root, until, World } from "./kit.js";

const nginx = ["/usr/sbin/nginx", join(root, "node_modules/.cache/nginx/usr/sbin/nginx")].find((path) =>
  existsSync(path),
);

/** nginx in front, as a proxy that ends TLS; it lets the webhooks through and nothing else. */
describe("webhooks behind a proxy", () => {
  const authority = new Authority("tests");
  let world: World;
  let folder: string;
  let proxy: ChildProcess;
  let [front, inner] = [0, 0];
  beforeAll(async () => {
    if (nginx === undefined) throw new Error("nginx is missing: npm test fetches it.");
    [front, inner] = [await freePort(), await freePort()];
    world = await World.start({
      env: {
        COPPER_KETTLE_PUBLIC_LISTEN: `127.0.0.1:${inner}`,
        COPPER_KETTLE_WEBHOOKS_URL: `https://localhost:${front}`,
        COPPER_KETTLE_TRUSTED_PROXIES: "127.0.0.1/32",
      },
    });
    folder = await mkdtemp(join(tmpdir(), "ckettle-nginx-"));
    const { certificate, privateKey } = authority.make("localhost");
    await writeFile(join(folder, "cert.pem"), certificate);
    await writeFile(join(folder, "key.pem"), privateKey);
    await writeFile(
      join(folder, "nginx.conf"),
      `user root; daemon off; pid nginx.pid; error_log stderr; worker_processes 1;
events {}
http {
  access_log off; client_body_temp_path body; proxy_temp_path proxy; fastcgi_temp_path f; uwsgi_temp_path u; scgi_temp_path s;
  client_max_body_size 0;
  server {
    listen 127.0.0.1:${front} ssl;
    ssl_certificate cert.pem; ssl_certificate_key key.pem;
    location /webhooks/ {
      proxy_pass http://127.0.0.1:${inner};
      proxy_set_header Host $http_host;
      proxy_set_header X-Forwarded-For $remote_addr;
      proxy_set_header X-Forwarded-Proto https;
      proxy_read_timeout 30s;
    }
  }
}
`,
    );
    proxy = spawn(nginx, ["-p", folder, "-c", "nginx.conf"], { stdio: "ignore" });
    await world.client.call(routes.putCredential, {
      params: { name: "hook" },
      body: { kind: "secret", secret: "signing-secret-123" },
    });
    await world.publish(`copper-kettle: 1
name: told
triggers:
  signed:
    webhook: { path: told, verify: { hmac: { using: hook, header: X-Sig } }, response: from-run, within: 20s, most: 100000 }
    once-per: trigger.body.id
  open: { webhook: { path: open, verify: none } }
steps:
  - { step: slow, only-if: trigger.body.?slow.orValue(false), wait: { for: 3s } }
  - { step: reply, respond: { status: 201, headers: { X-Seen: "\${trigger.headers['x-forwarded-for']}" }, body: "\${trigger.body}" } }
`);
    await until(async () => (await send("/webhooks/nothing", "{}")).status === 404, "the proxy passes it on");
  });
  afterAll(async () => {
    proxy.kill("SIGTERM");
    await Promise.all([once(proxy, "exit"), world.close()]);
    await rm(folder, { recursive: true, force: true });
  });

  /** Sends through the proxy, from an address of the machine. */
  const send = (
    path: string,
    body: string,
    headers: Record<string, string> = {},
    localAddress = "127.0.0.1",
  ): Promise<{ status: number; headers: Record<string, unknown>; text: string }> =>
    new Promise((resolve, reject) => {
      const sent = request(
        {
          host: "127.0.0.1",
          port: front,
          path,
          method: "POST",
          ca: authority.pem,
          servername: "localhost",
          localAddress,
          agent: false,
          headers: { "Content-Type": "application/json", ...headers },
        },
        (response) => {
          let text = "";
          response.setEncoding("utf8").on("data", (piece: string) => (text += piece));
          response.on("end", () =>
            resolve({ status: response.statusCode ?? 0, headers: response.headers, text }),
          );
        },
      );
      sent.on("error", (error) => resolve({ status: 0, headers: {}, text: error.message }));
      sent.on("timeout", reject);
      sent.end(body);
    });
  const signed = (body: string) => ({
    "X-Sig": createHmac("sha256", "signing-secret-123").update(body).digest("hex"),
  });

  it("arrive as their bytes were signed, and say who sent them, whatever that one claims", async () => {
    const body = '{"id":"ü-1",  "n": 1.50 }';
    const answer = await send(
      "/webhooks/told",
      body,
      { ...signed(body), "X-Forwarded-For": "203.0.113.9", Forwarded: "for=203.0.113.9" },
      "127.0.0.2",
    );
    expect([answer.status, answer.headers["x-seen"], answer.headers["content-security-policy"]]).toEqual([
      201,
      "127.0.0.2",
      "sandbox; default-src 'none'",
    ]);
    expect(answer.text).toContain("ü-1");
    expect((await send("/webhooks/told", body.replace("1.50", "2"), signed(body))).status).toBe(401);
  });

  it("are known by the address that senders use, over TLS", async () => {
    const { address } = await world.client.call(routes.trigger, {
      params: { name: "told", trigger: "signed" },
    });
    expect(address?.url).toBe(`https://localhost:${front}/webhooks/told`);
    const made = await world.client.call(routes.replaceAddress, {
      params: { name: "told", trigger: "open" },
      body: {},
    });
    expect(made.address).toMatch(`https://localhost:${front}/webhooks/open/`);
    expect((await send(new URL(made.address).pathname, "{}")).status).toBe(202);
  });

  it("are all that it lets through: neither the console nor the API is there, on either listener", async () => {
    for (const path of [
      "/",
      "/api/workflows",
      "/webhooks/../api/workflows",
      "/webhooks/%2e%2e/api/workflows",
    ]) {
      const answer = await send(path, "{}", { Authorization: `Bearer ${world.token}` });
      expect([403, 404, 405]).toContain(answer.status);
    }
    const behind = await fetch(`http://127.0.0.1:${inner}/api/workflows`, {
      headers: { Authorization: `Bearer ${world.token}` },
    });
    expect(behind.status).toBe(404);
  });

  it("get their refusals and their slow responses as they are; a service that is away is the proxy's to say", async () => {
    const long = JSON.stringify({ id: "x".repeat(100_001) });
    expect((await send("/webhooks/told", long, signed(long))).status).toBe(413);
    const slow = JSON.stringify({ id: "slow", slow: true });
    expect((await send("/webhooks/told", slow, signed(slow))).status).toBe(201);
    await world.end("SIGKILL");
    const body = JSON.stringify({ id: "later" });
    expect((await send("/webhooks/told", body, signed(body))).status).toBe(502);
    await world.serve();
    expect((await send("/webhooks/told", body, signed(body))).status).toBe(201);
    expect((await send("/webhooks/told", slow, signed(slow))).status).toBe(201);
  });
});
