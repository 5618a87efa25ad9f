import { routes } from "@copper-kettle/contract";
import { createServer } from "node:http";
import type { AddressInfo } from "node:net";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { until, World } from "./kit.js";

const file = (name: string, triggers: string, more = ""): string =>
  `copper-kettle: 1\nname: ${name}\n${more}triggers:\n  ${triggers}\nsteps:\n  - { step: reply, respond: { body: "\${trigger}" } }\n`;

describe("schedules", () => {
  let world: World;
  beforeAll(async () => void (world = await World.start()));
  afterAll(() => world.close());

  const eventsOf = async (name: string) =>
    (await world.client.call(routes.listEvents, { params: { name }, query: { limit: 200 } })).events;
  const runsOf = async (workflow: string) =>
    (await world.client.call(routes.listRuns, { query: { workflow, limit: 200 } })).runs;
  const one = (name: string, trigger: string) => ({ params: { name, trigger } });

  it("start runs at their times, each once, over kills; each event is there with its run", async () => {
    await world.publish(file("ticks", "often: { schedule: { every: 1s } }"));
    await until(async () => (await eventsOf("ticks")).length >= 2, "two beats have come");
    await world.killAndServe();
    const before = (await eventsOf("ticks")).length;
    await until(async () => (await eventsOf("ticks")).length >= before + 2, "it goes on after a kill");
    await world.client.call(routes.switchTrigger, { ...one("ticks", "often"), body: { on: false } });
    const events = await eventsOf("ticks");
    const started = events.filter(({ state }) => state === "started");
    expect(new Set(started.map(({ at }) => at)).size).toBe(started.length);
    expect(new Set(started.map(({ run }) => run)).size).toBe(started.length);
    expect((await runsOf("ticks")).map(({ id }) => id).sort()).toEqual(started.map(({ run }) => run).sort());
    // What was missed while the service was away is said, and starts nothing.
    for (const event of events.filter(({ state }) => state !== "started"))
      expect(event).toMatchObject({ state: "skipped", reason: expect.stringContaining("missed") as string });
    const run = await world.settled(started[0]?.run as string);
    expect(run.trigger).toMatchObject({ kind: "schedule", name: "often", at: started[0]?.at });
    expect(run.startedBy).toBe("service");
    expect(run.response?.body).toMatchObject({ kind: "schedule", name: "often", at: started[0]?.at });
  });

  it("stay off over restarts and publishing, and begin with the next time when they are on again", async () => {
    const off = await world.client.call(routes.trigger, one("ticks", "often"));
    expect(off).toMatchObject({ on: false, next: [] });
    const count = (await eventsOf("ticks")).length;
    await world.publish(file("ticks", "often: { schedule: { every: 1s }, title: A beat }"));
    await world.killAndServe();
    expect(await world.client.call(routes.trigger, one("ticks", "often"))).toMatchObject({
      on: false,
      title: "A beat",
      version: 2,
    });
    expect((await eventsOf("ticks")).length).toBe(count);
    await world.client.call(routes.switchTrigger, { ...one("ticks", "often"), body: { on: true } });
    await until(async () => (await eventsOf("ticks")).length > count, "it has begun again");
    const [newest] = await eventsOf("ticks");
    expect(newest).toMatchObject({ state: "started", version: 2 });
    // Taken over under another name: still on; and under one that is new: a new trigger.
    await world.client.call(routes.switchTrigger, { ...one("ticks", "often"), body: { on: false } });
    await world.publish(file("ticks", "beat: { schedule: { every: 1s }, was: often }"));
    expect(await world.client.call(routes.trigger, one("ticks", "beat"))).toMatchObject({ on: false });
    await expect(world.client.call(routes.trigger, one("ticks", "often"))).rejects.toThrow("no trigger");
    await world.client.call(routes.removeWorkflow, { params: { name: "ticks" } });
    expect((await world.client.call(routes.listTriggers, { query: {} })).triggers).toEqual([]);
  });

  it("judge by only-if and inputs, and say why nothing was started", async () => {
    const inputs = "inputs: { type: object, required: [hut], properties: { hut: { type: string } } }\n";
    const triggers = [
      'good: { schedule: { every: 1h }, inputs: { hut: "${constants.hut}" } }',
      "bare: { schedule: { every: 1h } }",
      'left: { schedule: { every: 1h }, only-if: constants.hut == "eyrie", inputs: { hut: x } }',
      'broken: { schedule: { every: 1h }, inputs: { hut: "${constants.nothing}" } }',
    ].join("\n  ");
    await world.client.call(routes.putConstant, { params: { name: "hut" }, body: { value: "corrie" } });
    await world.publish(file("judged", triggers, inputs));
    const now = (trigger: string) => world.client.call(routes.fireTrigger, one("judged", trigger));
    const good = await now("good");
    expect(good).toMatchObject({ state: "started", reason: null });
    expect((await world.settled(good.run as string)).inputs).toEqual({ hut: "corrie" });
    expect(await now("bare")).toMatchObject({
      state: "refused",
      run: null,
      reason: expect.stringContaining("hut"),
    });
    expect(await now("left")).toMatchObject({
      state: "left-out",
      reason: '"only-if" is false: constants.hut == "eyrie"',
    });
    expect(await now("broken")).toMatchObject({
      state: "refused",
      reason: expect.stringContaining("nothing"),
    });
    expect((await runsOf("judged")).length).toBe(1);
  });

  it("send an event through again, to the version in force or to the draft", async () => {
    const [event] = (await eventsOf("judged")).filter(({ state }) => state === "left-out");
    await world.client.call(routes.putConstant, { params: { name: "hut" }, body: { value: "eyrie" } });
    const again = (version: "published" | "draft") =>
      world.client.call(routes.resendEvent, { params: { id: event?.id as string }, body: { version } });
    const sent = await again("published");
    expect(sent).toMatchObject({ state: "started", version: 1, at: event?.at });
    expect(await again("draft")).toMatchObject({ state: "started", version: 0 });
    await world.client.call(routes.pushWorkflow, {
      params: { name: "judged" },
      body: { text: file("judged", "other: { schedule: { every: 1h } }") },
    });
    await expect(again("draft")).rejects.toThrow("no such trigger");
  });

  it("are missed while all runs rest: skipped and said, or made up for by one run", async () => {
    await world.client.call(routes.pause, { body: { paused: true } });
    await world.publish(
      file("rests", "gone: { schedule: { every: 1s } }\n  once: { schedule: { every: 1s, missed: once } }"),
    );
    const begun = Date.now();
    await until(() => Date.now() > begun + 3_500, "some beats are missed", 10_000);
    expect(await eventsOf("rests")).toEqual([]);
    await world.client.call(routes.pause, { body: { paused: false } });
    await until(async () => (await eventsOf("rests")).length >= 2, "it goes on");
    const events = await eventsOf("rests");
    const first = (name: string) => events.filter(({ trigger }) => trigger === name).at(-1);
    const made = first("once");
    expect(made).toMatchObject({ state: "started", brought: { missed: expect.any(Number) as number } });
    expect((made?.brought as { missed: number }).missed).toBeGreaterThanOrEqual(2);
    expect((await world.settled(made?.run as string)).trigger.missed).toBe(
      (made?.brought as { missed: number }).missed,
    );
    const gone = first("gone");
    if (gone?.state === "skipped") expect(gone.reason).toMatch(/times were missed/);
    else expect(gone?.brought).toEqual({});
    await world.client.call(routes.removeWorkflow, { params: { name: "rests" } });
  });

  it("are there on the command line", async () => {
    const list = await world.ckettle(["trigger", "list"]);
    expect(list.out).toMatch(/judged +good +on +Every 1 h/);
    const next = await world.ckettle(["trigger", "next", "judged", "good"]);
    expect(next.out.trim().split("\n")).toHaveLength(10);
    expect((await world.ckettle(["trigger", "off", "judged", "good"])).out).toContain(
      "judged good, version 1: off",
    );
    expect((await world.ckettle(["trigger", "next", "judged", "good"])).err).toContain("The trigger is off");
    expect((await world.ckettle(["trigger", "now", "judged", "bare"])).code).toBe(1);
    const events = await world.ckettle(["trigger", "events", "judged", "left"]);
    expect(events.out).toMatch(/left +left-out .*"only-if" is false/);
    const none = await world.ckettle(["trigger", "show", "judged", "nothing"]);
    expect([none.code, none.err]).toEqual([2, expect.stringContaining("no trigger")]);
  });
});

describe("triggers that do not do as they should", () => {
  let world: World;
  beforeAll(
    async () => void (world = await World.start({ env: { COPPER_KETTLE_ALLOW_ADDRESSES: "127.0.0.1" } })),
  );
  afterAll(() => world.close());

  it("are told to people once, and are well again when they are", async () => {
    const heard: { type: string; data: { message: string } }[] = [];
    const server = createServer((request, response) => {
      let text = "";
      request.on("data", (part: Buffer) => (text += part.toString()));
      request.on("end", () => {
        heard.push(JSON.parse(text) as (typeof heard)[number]);
        response.end();
      });
    });
    await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
    const { port } = server.address() as AddressInfo;
    await world.ckettle(["notifications", "set", "--webhook", `http://127.0.0.1:${port}/hook`]);
    await world.client.call(routes.putCredential, {
      params: { name: "desk" },
      body: { kind: "bearer", token: "token-desk-12345" },
    });
    await world.publish(file("asked", "ask: { webhook: { path: asked, verify: { bearer: desk } } }"));
    const send = (token: string) =>
      fetch(`${world.url}/webhooks/asked`, { method: "POST", headers: { Authorization: `Bearer ${token}` } });
    const trouble = async () =>
      (await world.client.call(routes.trigger, { params: { name: "asked", trigger: "ask" } })).trouble;
    await send("wrong");
    await send("wrong");
    expect(await trouble()).toBeNull();
    await send("wrong");
    expect(await trouble()).toMatch(/last 3 events of the trigger ask of asked were refused/);
    expect((await world.ckettle(["trigger", "list"])).out).toContain("in trouble");
    await send("wrong");
    await until(() => heard.some(({ type }) => type === "copper-kettle.trigger.failing"), "people were told");
    await send("token-desk-12345");
    expect(await trouble()).toBeNull();
    expect(heard.filter(({ type }) => type === "copper-kettle.trigger.failing")).toHaveLength(1);
    expect(heard[0]?.data.message).toMatch(/It does not show the credential "desk"/);
    server.close();
  });

  it("expect a success within a time: a trigger that starts nothing is found, too", async () => {
    await world.publish(
      file("silent", 'year: { schedule: { cron: "0 0 1 1 *" }, expect: { success-within: 1s } }'),
    );
    const one = () => world.client.call(routes.trigger, { params: { name: "silent", trigger: "year" } });
    await until(async () => (await one()).trouble !== null, "the time is over");
    expect((await one()).trouble).toBe(
      "Nothing that the trigger year of silent started has succeeded for 1 s.",
    );
    await world.publish(
      file("silent", 'year: { schedule: { cron: "0 0 1 1 *" }, expect: { success-within: 1h } }'),
    );
    expect((await one()).trouble).toBeNull();
  });
});
