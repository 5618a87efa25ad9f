import { routes } from "@copper-kettle/contract";
import { boardsToken, staysKey } from "@copper-kettle/standins";
import { readdir, readFile } from "node:fs/promises";
import { join } from "node:path";
import { afterAll, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { arrived, faults, reset, settings, World } from "./kit.js";

describe("the thinnest slice", () => {
  let world: World;
  beforeAll(async () => {
    world = await World.start();
    await world.publishExample("greet-guest");
    await world.publishExample("hut-round");
  });
  beforeEach(() => reset(world.stays, world.boards));
  afterAll(() => world.close());

  it("looks a guest up, finds none, creates the record, posts, and answers with the id", async () => {
    const run = await world.settled(
      (await world.run("greet-guest", { email: "ines@alpha.example", hut: "juniper" })).id,
    );
    expect(run).toMatchObject({
      state: "succeeded",
      calls: 3,
      response: { status: 200, body: { id: "g-3", post: "p-1" } },
    });
    const [looked, made] = await arrived(world.stays);
    expect(looked).toMatchObject({ method: "GET", path: "/guests", query: { email: "ines@alpha.example" } });
    expect(looked?.headers["authorization"]).toBe(`Bearer ${staysKey}`);
    expect(made).toMatchObject({ method: "POST", path: "/guests", body: { email: "ines@alpha.example" } });
    const [post] = await arrived(world.boards);
    expect(post).toMatchObject({
      path: "/boards/juniper/posts",
      body: { content: [{ text: "Welcome, ines!" }] },
    });
  });

  it("finds a guest who is on record, and creates nothing", async () => {
    const run = await world.settled((await world.run("greet-guest", { email: "Odd@huts.example" })).id);
    expect(run.response?.body).toMatchObject({ id: "g-1" });
    expect(await arrived(world.stays, "POST")).toHaveLength(0);
    expect((await arrived(world.boards))[0]?.body).toMatchObject({
      content: [{ text: "Welcome back, Odd!" }],
    });
  });

  it("survives being throttled: waits as long as the board asks, and posts to every hut once", async () => {
    const run = await world.settled((await world.run("hut-round", { message: "hi" })).id);
    expect(run.state).toBe("succeeded");
    const all = await arrived(world.boards);
    expect(all.filter((request) => request.status === 429).length).toBeGreaterThan(0);
    expect(new Set(all.filter((request) => request.status === 201).map((request) => request.path)).size).toBe(
      12,
    );
    const attempts = (await world.entries(run.id)).filter(
      (entry) => entry["type"] === "attempt" && entry["asked"],
    );
    for (const attempt of attempts) expect(attempt["wait"]).toBeGreaterThan(0);
  });

  it("gives the response to a starter that waits, and the same again to a repeated start", async () => {
    const start = () =>
      fetch(`${world.url}/api/workflows/greet-guest/runs?wait=20s`, {
        method: "POST",
        headers: {
          Authorization: `Bearer ${world.token}`,
          "Content-Type": "application/json",
          "Idempotency-Key": "desk-77",
        },
        body: JSON.stringify({ inputs: { email: "piet@alpha.example" } }),
      });
    const [first, second] = await Promise.all([start(), start()]);
    expect([first.status, second.status]).toEqual([200, 200]);
    const body = (await first.json()) as object;
    expect(await second.json()).toEqual(body);
    expect(await (await start()).json()).toEqual(body);
    expect(await arrived(world.stays, "POST")).toHaveLength(1);
  });

  it("gives 502 with the reason to a starter that waits for a run that fails, and 202 when it cannot wait", async () => {
    await faults(world.stays, [{ method: "POST", status: 500 }]);
    const start = (wait: string) =>
      fetch(`${world.url}/api/workflows/greet-guest/runs?wait=${wait}`, {
        method: "POST",
        headers: { Authorization: `Bearer ${world.token}`, "Content-Type": "application/json" },
        body: JSON.stringify({ inputs: { email: "sven@alpha.example" } }),
      });
    const failed = await start("20s");
    expect(failed.status).toBe(502);
    expect(await failed.json()).toMatchObject({
      type: "urn:copper-kettle:problem:run-failed",
      detail: expect.stringContaining("500 (Internal Server Error) from "),
    });
    await faults(world.stays, [{ method: "GET", latency: 1_000 }]);
    const late = await start("50ms");
    expect(late.status).toBe(202);
    const [, id] = /^\/api\/runs\/(.*)$/.exec(late.headers.get("location") ?? "") ?? [];
    expect(await world.settled(id ?? "")).toMatchObject({ state: "succeeded" });
  });

  it("answers each of many starters that wait, once, however their runs end", async () => {
    await world.publish(`
copper-kettle: 1
name: ends
inputs: { type: object, properties: { how: { type: string } } }
steps:
  - step: a
    if: inputs.how == "respond"
    then: [{ step: r, respond: { status: 201, body: yes } }]
  - step: b
    if: inputs.how == "fail"
    then: [{ step: f, fail: on purpose }]
  - step: c
    if: inputs.how == "header"
    then: [{ step: h, respond: { headers: { "bad name": x } } }]
`);
    const start = async (how: string, wait: string) => {
      const response = await fetch(`${world.url}/api/workflows/ends/runs?wait=${wait}`, {
        method: "POST",
        headers: { Authorization: `Bearer ${world.token}`, "Content-Type": "application/json" },
        body: JSON.stringify({ inputs: { how } }),
      });
      await response.arrayBuffer();
      return response.status;
    };
    const ways = [
      ["respond", 201],
      ["fail", 502],
      ["end", 204],
      ["header", 502],
    ] as const;
    const statuses = await Promise.all(
      Array.from({ length: 120 }, (_, index) => start(ways[index % 4]?.[0] ?? "", "20s")),
    );
    expect(statuses).toEqual(statuses.map((_, index) => ways[index % 4]?.[1]));
    // With waits that end just then, each still gets one response, and the service lives.
    const hurried = await Promise.all(
      Array.from({ length: 120 }, (_, index) => start(ways[index % 3]?.[0] ?? "", `${index % 12}ms`)),
    );
    for (const [index, status] of hurried.entries()) expect([202, ways[index % 3]?.[1]]).toContain(status);
    expect((await fetch(`${world.url}/readyz`)).status).toBe(200);
  });

  it("shows exactly what was sent and what came back, step by step", async () => {
    const { id } = await world.settled((await world.run("greet-guest", { email: "ines@alpha.example" })).id);
    const entries = await world.entries(id);
    expect(entries.find((entry) => entry["type"] === "begun" && entry["path"] === "made")).toMatchObject({
      data: {
        request: { method: "POST", url: `${world.stays.url}/guests`, body: '{"email":"ines@alpha.example"}' },
      },
    });
    expect(entries.find((entry) => entry["type"] === "attempt" && entry["path"] === "made")).toMatchObject({
      response: { status: 201, body: { email: "ines@alpha.example" } },
      authorization: [{ name: "Authorization", value: "Bearer •••" }],
    });
  });

  it("runs no more at once than its limit says, in the order of their starts", async () => {
    await world.publish(`
copper-kettle: 1
name: narrow
limits: { parallel: 2 }
steps:
  - { step: read, request: "GET \${constants.stays}/guests", using: stays-key }
`);
    await faults(world.stays, [{ method: "GET", latency: 60 }]);
    const runs = await Promise.all(Array.from({ length: 8 }, () => world.run("narrow")));
    await Promise.all(runs.map(({ id }) => world.settled(id)));
    const times = (await arrived(world.stays)).map((request) => request.at).sort((a, b) => a - b);
    expect(times).toHaveLength(8);
    for (let index = 2; index < times.length; index++)
      expect((times[index] as number) - (times[index - 2] as number)).toBeGreaterThan(50);
  });

  it("streams what happens in a run, from any entry on", async () => {
    await settings(world.boards, { perSecond: 100 });
    const { id } = await world.run("hut-round", { message: "hi" });
    await world.settled(id);
    const read = async (after: number) => {
      const stop = new AbortController();
      const response = await world.client.send(routes.runEvents, {
        params: { id },
        query: { after },
        signal: stop.signal,
      });
      const seen: { seq: number; entry: { type: string } }[] = [];
      let text = "";
      for await (const piece of response.body as unknown as AsyncIterable<Uint8Array>) {
        text += new TextDecoder().decode(piece);
        const lines = text.split("\n");
        text = lines.pop() as string;
        for (const line of lines)
          if (/^data: ?\{/.test(line))
            seen.push(JSON.parse(line.slice(line.indexOf("{"))) as (typeof seen)[number]);
        if (seen.at(-1)?.entry.type === "finished") break;
      }
      stop.abort();
      return seen;
    };
    const all = await read(-1);
    expect(all.map((item) => item.seq)).toEqual(all.map((_, index) => index));
    expect(all[0]?.entry.type).toBe("started");
    expect((await read(all.length - 4)).map((item) => item.seq)).toEqual([
      all.length - 3,
      all.length - 2,
      all.length - 1,
    ]);
  });
});

describe("secrets", () => {
  it("never show in clear: not in the database, its files, the log, a run, an error or an event", async () => {
    const world = await World.start({ demo: false });
    const key = "Zx9/secret+key=0123456789";
    const token = "tok-Ab/+cd_ef-0123456789";
    const big = "x".repeat(90_000);
    try {
      await faults(world.stays, [
        { path: "/login", status: 200, body: { access_token: token, echo: `you sent ${key}`, more: big } },
        {
          path: "/read",
          status: 200,
          body: { url: encodeURIComponent(token), encoded: Buffer.from(`a${token}`).toString("base64"), key },
        },
        { path: "/refuse", status: 403, body: { message: `${key} is not enough, nor is ${token}` } },
      ]);
      const host = new URL(world.stays.url).host;
      const put = await world.client.call(routes.putCredential, {
        params: { name: "vault" },
        body: {
          kind: "api-key",
          hosts: [host],
          parts: [
            { place: "query", name: "key", secret: ` "${key}"\n` },
            { place: "cookie", name: "sid", secret: key },
          ],
        },
      });
      expect(put.removed).toEqual(
        ["line ends", "outer spaces", "quotes"].filter((what) => put.removed.includes(what)),
      );
      expect(put.removed).toContain("quotes");
      await world.publish(`
copper-kettle: 1
name: vault
inputs: { type: object, properties: { pin: { type: string, writeOnly: true } } }
steps:
  - { step: login, request: "POST ${world.stays.url}/login", using: vault, body: { json: { pin: "\${inputs.pin}" } } }
  - { step: pause, wait: { for: 35s } }
  - { step: read, request: "GET ${world.stays.url}/read", query: { t: "\${steps.login.body.access_token}" }, headers: { X-Token: "T \${steps.login.body.access_token}" } }
  - { step: refuse, request: "GET ${world.stays.url}/refuse", using: vault }
`);
      const pin = "pin-4711-0815";
      const { id } = await world.run("vault", { pin });
      await world.settled(id, ["waiting"]);
      // A token from a response works across a restart.
      await world.killAndServe();
      await world.client.call(routes.stopRun, { params: { id }, body: {} });
      await world.publish(
        (await world.client.call(routes.workflow, { params: { name: "vault" } })).text.replace(
          "for: 35s",
          "for: 1s",
        ),
      );
      const second = await world.run("vault", { pin });
      const run = await world.settled(second.id);
      expect(run.error?.message).toContain("••• is not enough");
      const [, , read] = await arrived(world.stays);
      expect(read).toMatchObject({ query: { t: token } });
      expect(read?.headers["x-token"]).toBe(`T ${token}`);
      expect((await arrived(world.stays))[0]).toMatchObject({ query: { key }, body: { pin } });

      const shown = JSON.stringify([
        run,
        await world.entries(id),
        await world.entries(second.id),
        await world.client.call(routes.listCredentials),
      ]);
      await world.end("SIGTERM");
      const places: [string, string][] = [
        ["the API", shown],
        ["the log", world.log],
      ];
      for (const file of await readdir(world.folder, { recursive: true })) {
        const bytes = await readFile(join(world.folder, file)).catch(() => undefined);
        if (bytes) places.push([file, bytes.toString("latin1")]);
      }
      expect(places.length).toBeGreaterThan(6);
      for (const [place, text] of places) {
        for (const secret of [key, token, pin]) {
          for (const form of [
            secret,
            encodeURIComponent(secret),
            JSON.stringify(secret).slice(1, -1),
            ...base64Forms(secret),
          ]) {
            expect(text.includes(form), `${form} in ${place}`).toBe(false);
          }
        }
      }
      expect(places.some(([file]) => file.startsWith("blobs"))).toBe(true);
    } finally {
      await world.close();
    }
  });

  it("of the demo are not in its log either", async () => {
    const world = await World.start();
    await world.publishExample("greet-guest");
    await world.settled((await world.run("greet-guest", { email: "odd@huts.example" })).id);
    await world.close();
    for (const secret of [staysKey, boardsToken, world.token]) expect(world.log).not.toContain(secret);
    expect(world.log).toContain("run rested");
  });
});

/** A text in Base64 at each alignment, without the characters that mix with its neighbours. */
function base64Forms(text: string): string[] {
  return [0, 1, 2].map((shift) =>
    Buffer.from("z".repeat(shift) + text)
      .toString("base64")
      .slice(shift === 0 ? 0 : 4, -4),
  );
}
