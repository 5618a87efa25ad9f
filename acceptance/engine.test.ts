import { routes } from "@copper-kettle/contract";
import { readFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { arrived, faults, reset, root, until, World } from "./kit.js";

/** What steps share with other runs, in the real service: locks, kept values, called workflows, rate limits. */
describe("the engine in the service", () => {
  let world: World;
  beforeAll(async () => {
    world = await World.start();
  });
  beforeEach(() => reset(world.stays, world.boards));
  afterAll(() => world.close());

  const file = (name: string, steps: string, head = ""): string =>
    `copper-kettle: 1\nname: ${name}\n${head}steps:\n${steps}`;
  const guest = `  - step: record
    ensure:
      find: { request: "GET \${constants.stays}/guests", query: { email: piet@huts.example }, using: stays-key }
      record: body.items
      create: { request: "POST \${constants.stays}/guests", using: stays-key, body: { json: { email: piet@huts.example } } }
      lock: guest piet
  - { step: reply, respond: { body: "\${steps.record}" } }
`;

  it("two runs that look for the same thing at once create it once", async () => {
    await world.publish(file("ensure-guest", guest));
    await faults(world.stays, [{ method: "GET", latency: 100 }]);
    const runs = await Promise.all(Array.from({ length: 8 }, () => world.run("ensure-guest")));
    const ended = await Promise.all(runs.map(({ id }) => world.settled(id)));
    expect(ended.map(({ state }) => state)).toEqual(Array.from({ length: 8 }, () => "succeeded"));
    expect(await arrived(world.stays, "POST")).toHaveLength(1);
    const created = ended.filter(({ response }) => (response?.body as { created: boolean }).created);
    expect(created).toHaveLength(1);
  });

  it("an unsure run keeps its lock over a kill, others wait and say for whom; then they go on by themselves", async () => {
    await faults(world.stays, [{ method: "POST", times: 1, latency: 20_000 }]);
    const first = await world.run("ensure-guest");
    await until(async () => (await arrived(world.stays, "POST")).length === 1, "the creation is under way");
    await world.killAndServe();
    expect((await world.settled(first.id)).state).toBe("unsure");
    const second = await world.run("ensure-guest");
    const waiting = await world.settled(second.id, ["waiting", "running"]);
    expect(["waiting", "running"]).toContain(waiting.state);
    expect(await arrived(world.stays, "POST")).toHaveLength(1);
    await world.client.call(routes.decideRun, {
      params: { id: first.id },
      body: { decision: "again", path: "record/create", attempt: 1 },
    });
    for (const { id } of [first, second])
      expect((await world.settled(id, ["succeeded", "failed"])).state).toBe("succeeded");
    expect((await arrived(world.stays, "POST")).length).toBeLessThanOrEqual(2);
    const locks = await world.client.call(routes.locks);
    expect(locks.locks).toEqual([]);
  });

  it("what is kept is there for the next run, also after a kill", async () => {
    await world.publish(
      file(
        "counter",
        "  - { step: count, remember: { key: count, add: { runs: 1 } } }\n  - { step: reply, respond: { body: \"${remembered('count').runs}\" } }\n",
      ),
    );
    expect((await world.settled((await world.run("counter")).id)).response?.body).toBe(1);
    await world.killAndServe();
    expect((await world.settled((await world.run("counter")).id)).response?.body).toBe(2);
    const { remembered: kept } = await world.client.call(routes.remembered, { params: { name: "counter" } });
    expect(kept).toMatchObject([{ key: "count", values: { runs: 2 } }]);
  });

  it("a workflow calls another and gets its response; its failure is the caller's", async () => {
    await world.publish(
      file(
        "inner",
        '  - { step: sure, only-if: inputs.fail, fail: No }\n  - { step: reply, respond: { body: { doubled: "${inputs.n * 2}" } } }\n',
        "inputs: { type: object, properties: { n: { type: number }, fail: { type: boolean, default: false } } }\n",
      ),
    );
    await world.publish(
      file(
        "outer",
        '  - { step: call, workflow: { name: inner, inputs: { n: 21 } } }\n  - { step: bad, keep-going: true, workflow: { name: inner, inputs: { n: 1, fail: true } } }\n  - { step: reply, respond: { body: "${steps.call.body.doubled} ${steps.bad.error.code}" } }\n',
      ),
    );
    const run = await world.settled((await world.run("outer")).id);
    expect(run.response?.body).toBe("42 run-failed");
    const { runs } = await world.client.call(routes.listRuns, { query: { workflow: "inner" } });
    expect(runs.map(({ trigger }) => trigger.caller)).toMatchObject([
      { run: run.id, path: "bad" },
      { run: run.id, path: "call" },
    ]);
  });

  it("a workflow that calls itself for ever, also by another one, is stopped", async () => {
    await world.publish(file("itself", "  - { step: again, workflow: { name: itself } }\n"));
    const run = await world.settled((await world.run("itself")).id);
    expect(run.state).toBe("failed");
    const codes: (string | undefined)[] = [];
    const { runs: called } = await world.client.call(routes.listRuns, {
      query: { workflow: "itself", limit: 200 },
    });
    for (const { id } of called) {
      const ended = (await world.entries(id)).find(({ type }) => type === "ended");
      codes.push((ended?.["error"] as { code: string } | undefined)?.code);
    }
    // The deepest is refused; each above it fails since the one that it called did.
    expect(codes.filter((code) => code === "too-deep")).toHaveLength(1);
    expect(codes.filter((code) => code === "run-failed")).toHaveLength(2);
    const { runs } = await world.client.call(routes.listRuns, { query: { workflow: "itself", limit: 200 } });
    expect(runs).toHaveLength(3);
    await world.publish(file("ping", "  - { step: a, workflow: { name: pong, in-background: true } }\n"));
    await world.publish(file("pong", "  - { step: b, workflow: { name: ping, in-background: true } }\n"));
    await world.run("ping");
    const failed = async () =>
      (await world.client.call(routes.listRuns, { query: { state: "failed", limit: 200 } })).runs.find(
        ({ workflow }) => workflow === "pong",
      );
    await until(async () => (await failed()) !== undefined, "the circle is found");
    expect((await failed())?.error?.message).toContain("ping → pong → ping → pong → ping → pong → ping");
  });

  it("a sleeping caller and what it waits for go on after a kill, and a stop of one stops the other", async () => {
    await world.publish(file("sleeper", "  - { step: nap, wait: { for: 1h } }\n"));
    await world.publish(file("caller", "  - { step: call, workflow: { name: sleeper } }\n"));
    const { id } = await world.run("caller");
    await until(
      async () =>
        (await world.client.call(routes.listRuns, { query: { workflow: "sleeper" } })).runs[0]?.state ===
        "waiting",
      "the inner run sleeps",
    );
    await world.killAndServe();
    await world.client.call(routes.stopRun, { params: { id }, body: {} });
    expect((await world.settled(id)).state).toBe("stopped");
    await until(
      async () =>
        (await world.client.call(routes.listRuns, { query: { workflow: "sleeper" } })).runs[0]?.state ===
        "stopped",
      "the inner run is stopped",
    );
  });

  it("a start that is one too many is skipped where the workflow says so; who waits for it is told 409", async () => {
    await world.publish(
      file("single", "  - { step: nap, wait: { for: 1h } }\n", "limits: { parallel: 1, when-busy: skip }\n"),
    );
    const first = await world.run("single");
    await world.settled(first.id, ["waiting"]);
    const second = await world.run("single");
    expect(second).toMatchObject({
      state: "skipped",
      message: expect.stringContaining("when-busy") as string,
    });
    const answer = await fetch(`${world.url}/api/workflows/single/runs?wait=5s`, {
      method: "POST",
      headers: { Authorization: `Bearer ${world.token}`, "Content-Type": "application/json" },
      body: "{}",
    });
    expect([answer.status, ((await answer.json()) as { type: string }).type]).toEqual([
      409,
      expect.stringContaining("busy"),
    ]);
    await world.client.call(routes.stopRun, { params: { id: first.id }, body: {} });
  });

  describe("with a rate limit", () => {
    const round = (name: string, count: number): string =>
      file(
        name,
        `  - step: round\n    each: lists.range(${count})\n    parallel: 20\n    steps: [{ step: look, request: "GET \${constants.boards}/boards/corrie/posts?n=\${index}", using: boards-bot }]\n`,
      );
    const describeBoards = async (limit: object): Promise<void> => {
      const text = readFileSync(join(root, "standins/openapi/boards.yaml"), "utf8");
      await world.client.call(routes.putApi, {
        params: { name: "boards" },
        body: { text: `${text}\nx-ckettle-rate-limit: ${JSON.stringify(limit)}\n`, server: world.boards.url },
      } as never);
    };

    it("calls keep to it, whichever run makes them: the API never has to refuse one", async () => {
      await describeBoards({ calls: 5, per: "1s" });
      await world.publish(round("round-a", 26));
      await world.publish(round("round-b", 4));
      const [a, b] = await Promise.all([world.run("round-a"), world.run("round-b")]);
      for (const { id } of [a, b]) expect((await world.settled(id)).state).toBe("succeeded");
      const calls = await arrived(world.boards);
      expect(calls.map(({ status }) => status)).toEqual(Array.from({ length: 30 }, () => 200));
      // Turns are fair: the small run is not behind all of the large one.
      expect(
        ((await world.settled(b.id)).endedAt as string) < ((await world.settled(a.id)).endedAt as string),
      ).toBe(true);
      expect((await world.entries(a.id)).some((entry) => entry["type"] === "limited")).toBe(true);
      const { rateLimits } = await world.client.call(routes.rateLimits);
      expect(rateLimits).toContainEqual(
        expect.objectContaining({ api: "boards", credential: "boards-bot", calls: 5, per: 1_000 }),
      );
    });

    it("a 429 slows everyone who shares it, not only the one that was told", async () => {
      await describeBoards({ parallel: 20 });
      await faults(world.boards, [{ times: 1, status: 429, headers: { "Retry-After": "1" } }]);
      await world.publish(round("round-c", 1));
      const first = await world.run("round-c");
      await until(async () => (await arrived(world.boards)).length === 1, "the first was told to wait");
      const told = Date.now();
      const second = await world.run("round-c");
      for (const { id } of [first, second]) expect((await world.settled(id)).state).toBe("succeeded");
      const later = (await arrived(world.boards)).slice(1);
      expect(later.every(({ at }) => at >= told + 850)).toBe(true);
    });

    it("a call may be dropped instead of waiting", async () => {
      await describeBoards({ calls: 1, per: "1m" });
      await world.publish(
        file(
          "drop",
          '  - { step: a, request: "GET ${constants.boards}/boards/corrie/posts", using: boards-bot, when-limited: skip }\n  - { step: b, request: "GET ${constants.boards}/boards/corrie/posts", using: boards-bot, when-limited: skip }\n',
        ),
      );
      const run = await world.settled((await world.run("drop")).id);
      expect(run.state).toBe("succeeded");
      const ended = (await world.entries(run.id)).filter((entry) => entry["type"] === "ended");
      expect(ended.at(-1)).toMatchObject({
        path: "b",
        skipped: expect.stringContaining("rate limit of") as string,
      });
    });
  });
});
