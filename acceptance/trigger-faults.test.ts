import { routes } from "@copper-kettle/contract";
import { mkdtempSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { until, World } from "./kit.js";

/** A module that sets the process's clock a year ahead at each SIGUSR2, and back at the next. */
const clockModule = `
let ahead = 0;
const { now } = Date;
Date.now = () => now() + ahead;
globalThis.Date = new Proxy(Date, { construct: (target, args) => args.length ? new target(...args) : new target(now() + ahead) });
process.on("SIGUSR2", () => (ahead = ahead === 0 ? 365 * 86_400_000 : 0));
`;

describe("what goes wrong around triggers", () => {
  let world: World;
  beforeAll(async () => {
    const folder = mkdtempSync(join(tmpdir(), "ckettle-clock-"));
    writeFileSync(join(folder, "clock.mjs"), clockModule);
    world = await World.start({ env: { NODE_OPTIONS: `--import ${join(folder, "clock.mjs")}` } });
    await world.client.call(routes.putCredential, {
      params: { name: "hook" },
      body: { kind: "bearer", token: "hook-token-123456" },
    });
  });
  afterAll(() => world.close());

  const events = async (name: string, trigger: string) =>
    (await world.client.call(routes.listEvents, { params: { name }, query: { trigger, limit: 200 } })).events;
  const deliver = (path: string, body: string | Buffer) =>
    fetch(`${world.url}/webhooks/${path}`, {
      method: "POST",
      headers: {
        "Content-Type": "application/json",
        Authorization: "Bearer hook-token-123456",
      },
      body: body as never,
    });

  it("a clock that is a year ahead for a while: schedules and polls go on when it is right again", async () => {
    await world.publish(`copper-kettle: 1
name: timed
triggers:
  often: { schedule: { every: 1s } }
  seldom: { schedule: { cron: "0 5 * * *" } }
  new: { poll: { request: "GET \${constants.stays}/guests", using: stays-key, every: 1s, items: body.items, id-of: item.id } }
steps: [{ step: a, note: came }]
`);
    const times = async () =>
      Object.fromEntries(
        (await world.client.call(routes.listTriggers, { query: { workflow: "timed" } })).triggers.map(
          ({ name, next, looked }) => [name, { next: Date.parse(next[0] ?? ""), looked: looked?.at }],
        ),
      );
    await until(async () => (await events("timed", "often")).length > 1, "it goes");
    const year = Date.now() + 300 * 86_400_000;
    process.kill(world.pid, "SIGUSR2");
    await until(async () => {
      const { often, seldom, new: poll } = await times();
      return [often, seldom, poll].every((one) => (one?.next ?? 0) > year);
    }, "all are a year ahead");
    process.kill(world.pid, "SIGUSR2");
    await until(
      async () => {
        const { often, seldom, new: poll } = await times();
        return [often, seldom, poll].every((one) => one !== undefined && one.next < year);
      },
      "all are back",
      40_000,
    );
    const count = (await events("timed", "often")).length;
    const { new: before } = await times();
    await until(async () => (await events("timed", "often")).length > count + 1, "the schedule goes on");
    await until(async () => (await times())["new"]?.looked !== before?.looked, "the poll goes on");
    expect((await world.ckettle(["status"])).out).toMatch(
      /The clock was set back by 1 year|The clock was set back by 365 d/,
    );
    // Each time has one event, whatever the clock said meanwhile.
    const starts = (await events("timed", "often")).filter(({ state }) => state === "started");
    expect(new Set(starts.map(({ at }) => at)).size).toBe(starts.length);
  });

  it("deliveries that are cut off, no text, or no JSON start nothing, and say why", async () => {
    await world.publish(`copper-kettle: 1
name: strict
triggers:
  hook: { webhook: { path: strict, verify: { bearer: hook } } }
steps: [{ step: a, note: came }]
`);
    const refusals = [
      ['{"id": "s-1", "da', /JSON/],
      [Buffer.from([0x7b, 0x22, 0xff, 0xfe, 0x22, 0x3a, 0x31, 0x7d]), /UTF-8|utf-8/],
      ["\u0000{}", /JSON/],
      [`${"[".repeat(5_000)}${"]".repeat(5_000)}`, /deep|nested/],
    ] as const;
    for (const [body, reason] of refusals) {
      const answer = await deliver("strict", body);
      expect(answer.status).toBe(400);
      expect(((await answer.json()) as { detail: string }).detail).toMatch(reason);
    }
    const all = await events("strict", "hook");
    expect(all.every(({ state, run }) => state === "refused" && run === null)).toBe(true);
    expect((await deliver("strict", '{"id":"s-1"}')).status).toBe(202);
  });

  it("publishing, off, renaming and deleting between any two deliveries: what is answered has started, the rest has not", async () => {
    const text = (trigger: string, was: string, answer: number) => `copper-kettle: 1
name: moving
triggers:
  ${trigger}: { webhook: { path: moving, verify: { bearer: hook }, response: { status: 202, body: { version: ${answer} } } }, once-per: trigger.body.id${was} }
steps: [{ step: a, note: came }]
`;
    await world.publish(text("first", "", 1));
    const put = async (file: string) => {
      const params = { name: "moving" };
      await world.client.call(routes.pushWorkflow, { params, body: { text: file } });
      await world.client.call(routes.publishWorkflow, { params });
    };
    const taken: string[] = [];
    const refused = new Map<string, number>();
    let going = true;
    let id = 0;
    const sender = async () => {
      while (going) {
        const mine = `d-${id++}`;
        const { status } = await deliver("moving", JSON.stringify({ id: mine }));
        if (status === 202) taken.push(mine);
        else refused.set(mine, status);
      }
    };
    const senders = Array.from({ length: 8 }, sender);
    const set = (trigger: string, on: boolean) =>
      world.client.call(routes.switchTrigger, { params: { name: "moving", trigger }, body: { on } });
    let name = "first";
    for (let round = 2; round < 14; round++) {
      const next = `t${round}`;
      await put(text(next, `, was: ${name}`, round));
      name = next;
      if (round % 3 === 0) {
        await set(name, false);
        await put(text(name, "", round));
        await set(name, true);
      }
    }
    // A repeat of what was taken is the same under the name of now.
    const again = await deliver("moving", JSON.stringify({ id: taken[0] }));
    expect(again.status).toBe(202);
    const counted = new Map<string, number>();
    const known = async () => {
      counted.clear();
      let before: string | undefined;
      for (;;) {
        const page = await world.client.call(routes.listEvents, {
          params: { name: "moving" },
          query: { limit: 200, ...(before === undefined ? {} : { before }) },
        });
        for (const { state, brought } of page.events) {
          const { id: of } = (brought as { body: { id: string } }).body;
          if (state === "started") counted.set(of, (counted.get(of) ?? 0) + 1);
        }
        before = page.events.at(-1)?.id;
        if (!page.more) return;
      }
    };
    going = false;
    await Promise.all(senders);
    await known();
    expect(taken.length).toBeGreaterThan(50);
    expect(taken.filter((one) => counted.get(one) !== 1)).toEqual([]);
    expect([...refused.keys()].filter((one) => counted.has(one))).toEqual([]);
    for (const status of refused.values()) expect([503, 404]).toContain(status);
    const left = await deliver("moving", '{"id":"last"}');
    expect(left.status).toBe(202);
    await world.client.call(routes.removeWorkflow, { params: { name: "moving" } });
    expect((await deliver("moving", '{"id":"late"}')).status).toBe(404);
  });
});
