import { routes } from "@copper-kettle/contract";
import { createHmac } from "node:crypto";
import { createServer, type IncomingMessage, type Server, type ServerResponse } from "node:http";
import type { AddressInfo } from "node:net";
import { afterAll, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { until, World } from "./kit.js";

/** A API of a test's own: answers by path, and keeps what arrived. */
class Far {
  readonly arrived: { method: string; path: string; headers: IncomingMessage["headers"]; body: string }[] =
    [];
  answer: (request: IncomingMessage, response: ServerResponse, times: number) => void = (
    _request,
    response,
  ) => response.end("{}");
  #server: Server | undefined;
  url = "";

  async start(): Promise<this> {
    this.#server = createServer((request, response) => {
      let body = "";
      request.on("data", (piece) => (body += piece));
      request.on("end", () => {
        const path = request.url ?? "";
        const times = this.arrived.filter((other) => other.path === path).length;
        this.arrived.push({ method: request.method ?? "", path, headers: request.headers, body });
        this.answer(request, response, times);
      });
    });
    await new Promise<void>((resolve) => this.#server?.listen(0, "127.0.0.1", resolve));
    this.url = `http://127.0.0.1:${(this.#server.address() as AddressInfo).port}`;
    return this;
  }

  close(): void {
    this.#server?.closeAllConnections();
    this.#server?.close();
  }
}

describe("calls through the whole service", () => {
  let world: World;
  let far: Far;
  let other: Far;
  beforeAll(async () => {
    [far, other] = await Promise.all([new Far().start(), new Far().start()]);
    const allow = [far, other].map(({ url }) => new URL(url).host).join(",");
    world = await World.start({
      demo: false,
      env: { COPPER_KETTLE_ALLOW_ADDRESSES: allow, COPPER_KETTLE_LONGEST_RESPONSE: "200000" },
    });
    await world.client.call(routes.putConstant, { params: { name: "far" }, body: { value: far.url } });
    await world.client.call(routes.putCredential, {
      params: { name: "key" },
      body: { kind: "bearer", token: "sk-far-0123456789", hosts: [new URL(far.url).host] },
    });
  });
  beforeEach(() => {
    for (const one of [far, other]) one.arrived.length = 0;
    far.answer = (_request, response) =>
      response.setHeader("Content-Type", "application/json").end('{"ok":true}');
  });
  afterAll(async () => {
    await world.close();
    far.close();
    other.close();
  });

  let count = 0;
  const outcome = async (step: string, more = ""): Promise<Awaited<ReturnType<World["settled"]>>> => {
    const name = `call-${count++}`;
    await world.publish(
      `copper-kettle: 1\nname: ${name}\nsteps:\n  - { step: a, ${step} }\n${more}  - { step: reply, respond: { body: "\${steps.a}" } }\n`,
    );
    return world.settled((await world.run(name)).id);
  };
  const body = async (step: string): Promise<Record<string, unknown>> =>
    (await outcome(step)).response?.body as Record<string, unknown>;

  it("sends what the file says, and gives the whole outcome", async () => {
    far.answer = (_request, response) =>
      response
        .writeHead(
          200,
          [
            ["Content-Type", "application/json"],
            ["Set-Cookie", "sid=abc; Path=/"],
            ["X-A", "1"],
            ["X-A", "2"],
          ].flat(),
        )
        .end('{"id":12345678901234567890}');
    const step =
      "request: \"POST ${constants.far}/a/${'b c'}?x=1\", query: { y: [1, 2], z: null }, headers: { X-Team: hut }, cookies: { theme: plain }, body: { json: { n: 12345678901234567890 } }";
    const result = await outcome(step);
    const [sent] = far.arrived;
    expect(sent).toMatchObject({
      method: "POST",
      path: "/a/b%20c?x=1&y=1&y=2",
      body: '{"n":12345678901234567890}',
    });
    expect(sent?.headers).toMatchObject({
      "x-team": "hut",
      cookie: "theme=plain",
      "content-type": "application/json",
      "user-agent": expect.stringContaining("copper-kettle"),
    });
    expect(result.response?.body).toMatchObject({
      status: 200,
      headers: { "x-a": "1, 2", "set-cookie": ["sid=abc; Path=/"] },
      cookies: { sid: "abc" },
      attempts: 1,
      url: `${far.url}/a/b%20c?x=1&y=1&y=2`,
    });
    expect(JSON.stringify(result.response)).toContain("took");
  });

  it("follows redirects of a reading call, but takes no credential to another origin", async () => {
    far.answer = (request, response) => {
      if (request.url === "/one") response.writeHead(302, { Location: "/two" }).end();
      else if (request.url === "/two") response.writeHead(307, { Location: `${other.url}/three` }).end();
      else response.end("{}");
    };
    const seen = await body('request: "GET ${constants.far}/one", using: key');
    expect(seen).toMatchObject({ status: 200, url: `${other.url}/three` });
    expect(far.arrived.map((request) => request.headers.authorization)).toEqual([
      "Bearer sk-far-0123456789",
      "Bearer sk-far-0123456789",
    ]);
    expect(other.arrived[0]?.headers.authorization).toBeUndefined();
  });

  it("follows no redirect of a writing call, nor where it is told not to, nor for ever", async () => {
    far.answer = (_request, response) => response.writeHead(302, { Location: "/again" }).end();
    expect((await outcome('request: "POST ${constants.far}/w"')).error).toMatchObject({ status: 302 });
    expect((await outcome('request: "GET ${constants.far}/r", redirects: none')).error).toMatchObject({
      status: 302,
    });
    expect(far.arrived).toHaveLength(2);
    expect((await outcome('request: "GET ${constants.far}/r"')).error).toMatchObject({ status: 302 });
    expect(far.arrived).toHaveLength(8);
  });

  it("sends a credential to its own host only", async () => {
    const { error } = await outcome(`request: "GET ${other.url}/x", using: key`);
    expect(error).toMatchObject({ code: "credential", message: expect.stringContaining("is bound to") });
    expect(other.arrived).toHaveLength(0);
  });

  it("refuses addresses of the machine's own network that nobody allowed", async () => {
    const { port } = new URL(world.url);
    for (const host of ["127.0.0.1", "localhost", "2130706433", "[::1]"]) {
      const { error } = await outcome(`request: "GET http://${host}:${port}/healthz"`);
      expect(error, host).toMatchObject({
        code: "address-refused",
        message: expect.stringContaining("--allow-address"),
      });
    }
  });

  it("sends a stored file on: in parts, signed, again after 503, in a called run, and in a repeat", async () => {
    const map = Buffer.alloc(150_000, "map ");
    far.answer = (request, response, times) => {
      if (request.url === "/map") response.setHeader("Content-Type", "application/octet-stream").end(map);
      else response.writeHead(times === 0 ? 503 : 201, { "Content-Type": "application/json" }).end("{}");
    };
    await world.client.call(routes.putCredential, {
      params: { name: "over-body" },
      body: {
        kind: "signed",
        scheme: {
          base: "${request.method}",
          signature: "base64.encode(hmacSha256(secret.key, request.body))",
          headers: { "X-Sig": "${signature}" },
        },
        secrets: { key: "sk-over-body-123456" },
        hosts: [new URL(far.url).host],
      },
    });
    await world.publish(`copper-kettle: 1
name: inner
inputs: { type: object, properties: { map: { type: object } } }
steps:
  - { step: put, request: "PUT \${constants.far}/in-run", body: { file: "\${inputs.map}" } }
`);
    const name = await world.publish(`copper-kettle: 1
name: outer
steps:
  - { step: get, request: "GET \${constants.far}/map" }
  - { step: parts, request: "PUT \${constants.far}/parts", body: { multipart: { hut: corrie, map: "\${steps.get.body}" } }, retry: { wait: 1ms } }
  - { step: signed, request: "PUT \${constants.far}/signed", body: { file: "\${steps.get.body}" }, using: over-body, retry: { wait: 1ms } }
  - { step: called, workflow: { name: inner, inputs: { map: "\${steps.get.body}" } } }
`);
    const run = await world.settled((await world.run(name)).id);
    expect(run.error).toBeNull();
    const again = await world.client.call(routes.runAgain, {
      params: { id: run.id },
      body: { from: "parts" },
    });
    expect((await world.settled(again.id)).error).toBeNull();
    const sent = (path: string) => far.arrived.filter((one) => one.path === path);
    expect(["/map", "/parts", "/signed", "/in-run"].map((path) => sent(path).length)).toEqual([1, 3, 3, 3]);
    const text = map.toString();
    for (const { body, headers } of sent("/parts")) {
      expect(body).toContain(`filename="map"\r\nContent-Type: application/octet-stream\r\n\r\n${text}\r\n--`);
      expect(Number(headers["content-length"])).toBe(Buffer.byteLength(body));
      expect(headers["transfer-encoding"]).toBeUndefined();
    }
    const signature = createHmac("sha256", "sk-over-body-123456").update(map).digest("base64");
    for (const { body, headers } of sent("/signed"))
      expect([body === text, headers["x-sig"]]).toEqual([true, signature]);
    for (const { body, headers } of sent("/in-run"))
      expect([body === text, headers["content-length"]]).toEqual([true, "150000"]);
  });

  it("keeps bytes as a file, CSV as rows, and says where JSON breaks off", async () => {
    const kinds: Record<string, [string, string | Buffer]> = {
      "/png": ["image/png", Buffer.from([0x89, 0x50, 0x4e, 0x47, 0xff])],
      "/csv": ["text/csv; charset=iso-8859-1", Buffer.from("hut;beds\nHütte;12\n", "latin1")],
      "/none": ["application/json", ""],
      "/broken": ["application/json", '{"a": [1, 2'],
    };
    far.answer = (request, response) => {
      const [type, bytes] = kinds[request.url ?? ""] as [string, string | Buffer];
      response.writeHead(200, { "Content-Type": type }).end(bytes);
    };
    const get = (path: string) => `request: "GET \${constants.far}${path}"`;
    expect((await body(get("/png")))["body"]).toEqual({
      file: expect.any(String),
      name: "png",
      mediaType: "image/png",
      size: 5,
      sha256: expect.stringMatching(/^[0-9a-f]{64}$/),
    });
    expect(await body(get("/csv"))).toMatchObject({
      body: [{ hut: "Hütte", beds: "12" }],
      text: "hut;beds\nHütte;12\n",
    });
    expect((await body(get("/none")))["body"]).toBeNull();
    expect((await outcome(get("/broken"))).error).toMatchObject({
      code: "bad-response",
      message: expect.stringContaining("breaks off"),
      body: '{"a": [1, 2',
    });
  });

  it("reads no response that is larger than the most, and waits no longer than it is told", async () => {
    far.answer = (_request, response) => void response.end("x".repeat(300_000));
    expect((await outcome('request: "GET ${constants.far}/big"')).error).toMatchObject({
      code: "response-too-large",
    });
    far.answer = () => undefined;
    const slow = await outcome(
      'request: "GET ${constants.far}/slow", timeout: { response: 150ms }, retry: { times: 1, wait: 10ms }',
    );
    expect(slow.error).toMatchObject({
      code: "timeout",
      message: expect.stringContaining("at the last of 2 attempts"),
    });
    expect(far.arrived.filter((request) => request.path === "/slow")).toHaveLength(2);
  });

  it("is unsure of a writing call that was not answered in time, and not of one that could not connect", async () => {
    far.answer = () => undefined;
    const slow = await outcome('request: "POST ${constants.far}/slow", timeout: { response: 150ms }');
    expect(slow).toMatchObject({
      state: "unsure",
      unsure: [{ path: "a", reason: expect.stringContaining("did not respond within 150 ms") }],
    });
    const refused = await outcome('request: "POST http://127.0.0.1:9/", retry: { times: 0 }').catch(
      () => undefined,
    );
    expect(refused).toMatchObject({ state: "failed", error: { code: "address-refused" } });
  });

  it("counts a DELETE that was cut and then finds nothing as done", async () => {
    far.answer = (request, response, times) =>
      times === 0
        ? request.socket.destroy()
        : response.writeHead(404, { "Content-Type": "application/json" }).end("{}");
    expect(await body('request: "DELETE ${constants.far}/d", retry: { wait: 10ms }')).toMatchObject({
      status: 404,
      attempts: 2,
    });
    far.answer = (_request, response) => response.writeHead(404).end();
    expect((await outcome('request: "DELETE ${constants.far}/e"')).error).toMatchObject({ status: 404 });
  });

  it("judges success by an expression over the response, and repeats by another", async () => {
    far.answer = (_request, response, times) =>
      response
        .setHeader("Content-Type", "application/json")
        .end(JSON.stringify({ state: times < 2 ? "busy" : "done" }));
    const step =
      'request: "GET ${constants.far}/job", success: "body.state == \'done\'", retry: { waits: [10ms, 10ms, 10ms], when: "body.state == \'busy\'" }';
    expect(await body(step)).toMatchObject({ body: { state: "done" }, attempts: 3 });
    far.answer = (_request, response) =>
      response.setHeader("Content-Type", "application/json").end('{"state":"broken"}');
    expect((await outcome(step)).error).toMatchObject({
      code: "response",
      message: expect.stringContaining("\"success\" (body.state == 'done') is not true"),
    });
  });

  it("wakes a sleeping run in time, without holding it in memory", async () => {
    const name = `nap-${count++}`;
    await world.publish(
      `copper-kettle: 1\nname: ${name}\nsteps:\n  - { step: a, wait: { at: "\${now() + duration('31s')}" } }\n  - { step: b, respond: { body: done } }\n`,
    );
    const runs = await Promise.all(Array.from({ length: 20 }, () => world.run(name)));
    await Promise.all(runs.map(({ id }) => world.settled(id, ["waiting"])));
    const { next } = await world.client.call(routes.home);
    expect(next.length).toBe(20);
    await until(
      async () =>
        (await world.client.call(routes.listRuns, { query: { workflow: name, state: "succeeded" } })).runs
          .length === 20,
      "all have woken",
      60_000,
    );
    for (const { id } of runs) {
      const run = await world.client.call(routes.run, { params: { id } });
      const late = Date.parse(run.endedAt as string) - Date.parse(run.startedAt as string) - 31_000;
      expect(late).toBeGreaterThanOrEqual(0);
      expect(late).toBeLessThan(10_000);
    }
  });

  it("walks a loop of a thousand items, many at once, and keeps them in order", async () => {
    far.answer = (request, response) =>
      response
        .setHeader("Content-Type", "application/json")
        .end(JSON.stringify({ n: Number((request.url ?? "").slice(3)) }));
    const name = `loop-${count++}`;
    await world.publish(
      `copper-kettle: 1\nname: ${name}\nsteps:\n  - step: all\n    each: lists.range(1000)\n    as: n\n    parallel: 20\n    collect: steps.get.body.n\n    steps:\n      - { step: get, request: "GET \${constants.far}/i/\${n}" }\n  - { step: reply, respond: { body: { sum: "\${sum(steps.all.items)}", tenth: "\${steps.all.items[10]}" } } }\n`,
    );
    const run = await world.settled((await world.run(name)).id);
    expect(run).toMatchObject({
      state: "succeeded",
      calls: 1_000,
      response: { body: { sum: 499_500, tenth: 10 } },
    });
    const page = await world.client.call(routes.journal, {
      params: { id: run.id },
      query: { after: 500, limit: 100 },
    });
    expect(page.entries.map(({ seq }) => seq)).toEqual(
      Array.from({ length: 100 }, (_, index) => 501 + index),
    );
    expect(page.more).toBe(true);
  });
});
