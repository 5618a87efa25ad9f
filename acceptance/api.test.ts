import { routes } from "@copper-kettle/contract";
import { request } from "node:http";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { stat } from "node:fs/promises";
import { join } from "node:path";
import { World } from "./kit.js";

describe("the HTTP interface", () => {
  let world: World;
  beforeAll(async () => {
    world = await World.start({ env: { COPPER_KETTLE_TRUSTED_PROXIES: "127.0.0.1/32" } });
    await world.publishExample("greet-guest");
  });
  afterAll(() => world.close());

  const send = async (method: string, path: string, body?: unknown, headers: Record<string, string> = {}) => {
    const response = await fetch(world.url + path, {
      method,
      headers: { Authorization: `Bearer ${world.token}`, "Content-Type": "application/json", ...headers },
      ...(body === undefined ? {} : { body: typeof body === "string" ? body : JSON.stringify(body) }),
    });
    const text = await response.text();
    return {
      status: response.status,
      headers: response.headers,
      text,
      json: () => JSON.parse(text) as Record<string, never>,
    };
  };

  it("describes itself as OpenAPI 3.1, each route with its errors", async () => {
    const { paths, openapi } = (await send("GET", "/api/openapi.json")).json() as unknown as {
      openapi: string;
      paths: Record<string, Record<string, { operationId: string; responses: object }>>;
    };
    expect(openapi).toBe("3.1.0");
    const ids = Object.values(paths).flatMap((path) =>
      Object.values(path).map((operation) => operation.operationId),
    );
    expect(ids.sort()).toEqual(Object.keys(routes).sort());
    for (const path of Object.values(paths))
      for (const operation of Object.values(path))
        expect(Object.keys(operation.responses)).toContain("default");
  });

  it("says whether it lives and is ready, without a token", async () => {
    expect(await (await fetch(`${world.url}/healthz`)).json()).toEqual({ ok: true });
    expect(await (await fetch(`${world.url}/readyz`)).json()).toEqual({ ready: true });
  });

  const guarded = Object.entries(routes).filter(([, route]) => route.needs !== "nothing");
  it.each(guarded)("wants a token for %s", async (name, route) => {
    const path = route.path.replace(/\{\w+\}/g, "x");
    const without = await fetch(world.url + path, { method: route.method });
    expect(without.status).toBe(401);
    expect(without.headers.get("www-authenticate")).toContain("Bearer");
    const wrong = await send(route.method, path, route.body ? {} : undefined, {
      Authorization: "Bearer ck_wrong",
      // From an address of its own each: of one, only so many wrong ones are looked at.
      "X-Forwarded-For": `198.51.100.${guarded.findIndex(([one]) => one === name)}`,
    });
    expect(wrong.status).toBe(401);
    expect(wrong.headers.get("content-type")).toContain("application/problem+json");
  });

  it("keeps its token in a file that only its owner reads", async () => {
    for (const file of ["token", "sealing.key"])
      expect((await stat(join(world.folder, file))).mode & 0o777).toBe(0o600);
    expect((await stat(world.folder)).mode & 0o077).toBe(0);
  });

  it.each([
    ["no JSON", "POST", "/api/check", "{broken", 400, "character 2"],
    ["an unknown key", "POST", "/api/check", { text: "", extra: 1 }, 400, "extra"],
    ["a missing key", "POST", "/api/check", {}, 400, "text"],
    ["a wrong kind", "POST", "/api/check", { text: 5 }, 400, "text"],
    ["a wrong query", "GET", "/api/runs?limit=x", undefined, 400, "limit"],
    ["a limit beyond the most", "GET", "/api/runs?limit=100000", undefined, 400, "limit"],
    ["a bad name", "PUT", "/api/workflows/Bad_Name", { text: "" }, 400, "a-z"],
    [
      "another name in the file",
      "PUT",
      "/api/workflows/other",
      { text: "copper-kettle: 1\nname: greet-guest\nsteps: []\n" },
      422,
      "greet-guest",
    ],
    ["a missing workflow", "GET", "/api/workflows/nowhere", undefined, 404, "nowhere"],
    ["a missing run", "GET", "/api/runs/nowhere", undefined, 404, "nowhere"],
    ["a missing path", "GET", "/api/nowhere", undefined, 404, "/api/nowhere"],
    ["missing inputs", "POST", "/api/workflows/greet-guest/runs", { inputs: {} }, 422, '"email" is missing'],
    [
      "a wrong input",
      "POST",
      "/api/workflows/greet-guest/runs",
      { inputs: { email: "odd", hut: "corrie" } },
      422,
      "email",
    ],
    [
      "a wrong choice",
      "POST",
      "/api/workflows/greet-guest/runs",
      { inputs: { email: "o@h.example", hut: "corry" } },
      422,
      "brackenshaw",
    ],
    [
      "an unknown input",
      "POST",
      "/api/workflows/greet-guest/runs",
      { inputs: { email: "o@h.example", hat: 1 } },
      422,
      '"hat"',
    ],
    [
      "a bad wait",
      "POST",
      "/api/workflows/greet-guest/runs?wait=soon",
      { inputs: { email: "o@h.example" } },
      400,
      "30s",
    ],
    ["an empty secret", "PUT", "/api/credentials/k", { kind: "bearer", token: "  " }, 422, "empty"],
    [
      "a secret in two pieces",
      "PUT",
      "/api/credentials/k",
      { kind: "bearer", token: "abc\ndef" },
      422,
      "two pieces",
    ],
    ["an unknown kind", "PUT", "/api/credentials/k", { kind: "magic" }, 400, "kind"],
    ["a constant without a value", "PUT", "/api/constants/k", {}, 400, "value"],
    ["a decision about nothing", "POST", "/api/runs/nowhere/decide", { decision: "maybe" }, 400, "decision"],
  ])(
    "refuses %s with problem details that say what to do",
    async (_what, method, path, body, status, mentions) => {
      const answer = await send(method, path, body);
      expect(answer.status).toBe(status);
      expect(answer.headers.get("content-type")).toContain("application/problem+json");
      const problem = answer.json() as unknown as {
        type: string;
        title: string;
        status: number;
        detail: string;
      };
      expect(problem).toMatchObject({
        type: expect.stringMatching(/^urn:copper-kettle:problem:/),
        title: expect.any(String),
        status,
      });
      expect(answer.text).toContain(mentions.replaceAll('"', '\\"'));
    },
  );

  it("refuses a body that is not JSON by its type, and one that is too large", async () => {
    expect((await send("POST", "/api/check", "text", { "Content-Type": "text/plain" })).status).toBe(415);
    expect((await send("POST", "/api/check", { text: "x".repeat(11_000_000) })).status).toBe(413);
  });

  it("keeps a draft with problems, but does not publish or run it", async () => {
    const text = "copper-kettle: 1\nname: broken\nsteps:\n  - { step: a, note: '${inputs.x' }\n";
    const kept = await send("PUT", "/api/workflows/broken", { text });
    expect(kept.json()).toMatchObject({ problems: 1, text, problemList: [{ line: 4, code: "expression" }] });
    const published = await send("POST", "/api/workflows/broken/publish");
    expect(published).toMatchObject({ status: 422 });
    expect(published.json()).toMatchObject({
      problems: [{ line: 4 }],
      detail: expect.stringContaining("Line 4"),
    });
    expect((await send("POST", "/api/workflows/broken/runs", {})).status).toBe(409);
    expect((await send("POST", "/api/workflows/broken/runs", { draft: true })).status).toBe(422);
  });

  it("refuses an edit of a draft that somebody else has changed meanwhile", async () => {
    const text = (note: string) => `copper-kettle: 1\nname: shared\nsteps:\n  - { step: a, note: ${note} }\n`;
    const first = (await send("PUT", "/api/workflows/shared", { text: text("one") })).json() as unknown as {
      revision: number;
    };
    expect(
      (await send("PUT", "/api/workflows/shared", { text: text("two"), base: first.revision })).status,
    ).toBe(200);
    const late = await send("PUT", "/api/workflows/shared", { text: text("three"), base: first.revision });
    expect(late.status).toBe(409);
    expect((await send("GET", "/api/workflows/shared")).text).toContain("two");
  });

  it("numbers versions, runs the published one, and runs a draft only when asked", async () => {
    const text = (note: string) =>
      `copper-kettle: 1\nname: versions\nsteps:\n  - { step: a, respond: { body: ${note} } }\n`;
    await world.publish(text("one"));
    await world.publish(text("two"));
    await send("PUT", "/api/workflows/versions", { text: text("three") });
    const published = await world.settled((await world.run("versions")).id);
    expect(published).toMatchObject({ version: 2, response: { body: "two" } });
    const draft = (await send("POST", "/api/workflows/versions/runs", { draft: true })).json() as unknown as {
      id: string;
    };
    expect(await world.settled(draft.id)).toMatchObject({ version: 0, response: { body: "three" } });
    expect((await send("GET", "/api/workflows/versions?version=1")).text).toContain("one");
    expect((await send("GET", "/api/workflows/versions?version=9")).status).toBe(404);
  });

  it("carries numbers of many digits from a start to the next request and the response", async () => {
    await world.publish(`
copper-kettle: 1
name: digits
inputs: { type: object, properties: { id: { type: integer } } }
steps:
  - { step: a, respond: { body: { id: "\${inputs.id}", text: "no. \${inputs.id}" } } }
`);
    const answer = await send(
      "POST",
      "/api/workflows/digits/runs?wait=10s",
      '{"inputs":{"id":12345678901234567890}}',
    );
    expect(answer.text).toBe('{"id":12345678901234567890,"text":"no. 12345678901234567890"}');
  });

  it("answers to its own hosts only", async () => {
    const asked = (host: string) =>
      new Promise<number | undefined>((resolve, reject) => {
        const { hostname, port } = new URL(world.url);
        request(
          {
            hostname,
            port,
            path: "/api/status",
            headers: { Host: host, Authorization: `Bearer ${world.token}` },
          },
          (response) => resolve(response.resume().statusCode),
        )
          .on("error", reject)
          .end();
      });
    expect(await asked(new URL(world.url).host)).toBe(200);
    expect(await asked("rebound.example")).toBe(421);
    expect(await asked("127.0.0.1:1")).toBe(421);
  });

  it("signs a console in by a link that works once, and wants its own Origin for changes", async () => {
    const link = await world.client.call(routes.signInLink);
    const code = new URL(link.url).hash.replace("#code=", "");
    const open = (origin?: string) =>
      fetch(`${world.url}/api/session`, {
        method: "POST",
        headers: { "Content-Type": "application/json", ...(origin ? { Origin: origin } : {}) },
        body: JSON.stringify({ code }),
      });
    expect((await open()).status).toBe(403);
    expect((await open("http://127.0.0.1:1")).status).toBe(403);
    const opened = await open(world.url);
    expect(opened.status).toBe(204);
    const field = opened.headers.get("set-cookie") as string;
    expect(field).toMatch(/HttpOnly/);
    expect(field).toMatch(/SameSite=Lax/);
    expect((await open(world.url)).status).toBe(401);
    const cookie = field.split(";")[0] as string;
    const call = (method: string, path: string, headers: Record<string, string>) =>
      fetch(world.url + path, { method, headers: { Cookie: cookie, ...headers } });
    expect((await call("GET", "/api/session", {})).status).toBe(200);
    expect((await call("DELETE", "/api/workflows/shared", {})).status).toBe(403);
    expect((await call("DELETE", "/api/workflows/shared", { Origin: "http://127.0.0.1:1" })).status).toBe(
      403,
    );
    expect((await call("DELETE", "/api/workflows/shared", { Origin: world.url })).status).toBe(204);
    expect((await call("DELETE", "/api/session", { Origin: world.url })).status).toBe(204);
    expect((await call("GET", "/api/session", {})).status).toBe(401);
    expect(world.log).not.toContain(code);
  });

  it("serves the console with a policy that lets nothing in from elsewhere", async () => {
    const page = await fetch(`${world.url}/workflows/greet-guest`);
    expect(page.status).toBe(200);
    const policy = page.headers.get("content-security-policy") as string;
    expect(policy).toContain("default-src 'self'");
    expect(policy).toContain("frame-ancestors 'none'");
    expect(policy).not.toContain("unsafe-eval");
    const nonce = /'nonce-([^']+)'/.exec(policy)?.[1] as string;
    expect(await page.text()).toContain(`content="${nonce}"`);
    expect((await fetch(`${world.url}/nowhere.js`)).status).toBe(404);
  });

  it("compresses what is long, but for streams; hashed files of the console never change", async () => {
    const { headers } = await send("GET", "/api/openapi.json", undefined, { "Accept-Encoding": "gzip" });
    expect(headers.get("content-encoding")).toBe("gzip");
    const short = await send("GET", "/healthz", undefined, { "Accept-Encoding": "gzip" });
    expect(short.headers.get("content-encoding")).toBeNull();
    const stop = new AbortController();
    const stream = await fetch(`${world.url}/api/events`, {
      headers: { Authorization: `Bearer ${world.token}`, "Accept-Encoding": "gzip" },
      signal: stop.signal,
    });
    expect(stream.headers.get("content-encoding")).toBeNull();
    stop.abort();
    const page = (await send("GET", "/")).text;
    const script = /src="(\/assets\/[^"]+\.js)"/.exec(page)?.[1] ?? "";
    const asset = await send("GET", script, undefined, { "Accept-Encoding": "gzip" });
    expect(asset.headers.get("cache-control")).toBe("public, max-age=31536000, immutable");
    expect(asset.headers.get("content-encoding")).toBe("gzip");
  });

  it("removes what it is told to, and lists runs by state, workflow and text, page by page", async () => {
    const ids: string[] = [];
    for (let count = 0; count < 5; count++)
      ids.push((await world.settled((await world.run("versions")).id)).id);
    const page = await world.client.call(routes.listRuns, {
      query: { workflow: "versions", state: "succeeded", limit: 3 },
    });
    expect(page.runs.map((run) => run.id)).toEqual(ids.slice(2).reverse());
    const next = await world.client.call(routes.listRuns, {
      query: { workflow: "versions", before: page.runs[2]?.id, limit: 3 },
    });
    expect(next.runs[0]?.id).toBe(ids[1]);
    expect((await world.client.call(routes.listRuns, { query: { text: ids[0] } })).runs).toHaveLength(1);
    expect((await send("DELETE", "/api/credentials/stays-key")).status).toBe(204);
    expect((await send("DELETE", "/api/credentials/stays-key")).status).toBe(404);
    const failed = await world.settled((await world.run("greet-guest", { email: "o@h.example" })).id);
    expect(failed.error).toMatchObject({
      code: "credential",
      message: expect.stringContaining("ckettle credential add stays-key"),
    });
    const home = await world.client.call(routes.home);
    expect(home.attention.map(({ run }) => run.id)).toContain(failed.id);
    expect(home.hours).toHaveLength(24);
    expect(home.hours.at(-1)?.failed).toBeGreaterThan(0);
  });
});
