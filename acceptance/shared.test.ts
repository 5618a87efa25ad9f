import { routes } from "@copper-kettle/contract";
import { join } from "node:path";
import type { Browser, Page } from "playwright-core";
import { afterAll, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { launch, signIn } from "./browser.js";
import { faults, reset, until, World } from "./kit.js";

const guest = `copper-kettle: 1
name: ensure-guest
steps:
  - step: record
    ensure:
      find: { request: "GET \${constants.stays}/guests", query: { email: piet@huts.example }, using: stays-key }
      record: body.items
      create: { request: "POST \${constants.stays}/guests", using: stays-key, body: { json: { email: piet@huts.example } } }
      lock: guest piet
`;
const counts = `copper-kettle: 1
name: counts
steps:
  - { step: a, remember: { key: corrie, values: { nights: 3 }, add: { rounds: 1 } } }
  - { step: b, remember: { key: eyrie, values: { nights: 5 }, expires: 30d } }
`;

/** What runs share, as people see it: by the command line and in the console. */
describe("what runs share", () => {
  let world: World;
  let browser: Browser;
  let page: Page;
  beforeAll(async () => {
    [world, browser] = await Promise.all([World.start(), launch()]);
    await world.publish(guest);
    await world.publish(counts);
    await world.publish(
      "copper-kettle: 1\nname: inner\nsteps:\n  - { step: nap, wait: { for: 2h } }\n  - { step: reply, respond: { body: done } }\n",
    );
    await world.publish(
      "copper-kettle: 1\nname: outer\nsteps:\n  - { step: called, workflow: { name: inner } }\n",
    );
    ({ page } = await signIn(browser, world));
  });
  beforeEach(() => reset(world.stays, world.boards));
  afterAll(async () => {
    await browser.close();
    await world.close();
  });
  const rows = (out: string): string[][] =>
    out
      .trimEnd()
      .split("\n")
      .map((line) => line.split(/ {2,}/));

  it("remembered values are listed and forgotten, one key at a time", async () => {
    for (let count = 0; count < 2; count++) await world.settled((await world.run("counts")).id);
    const [head, corrie, eyrie] = rows((await world.ckettle(["remembered", "list", "counts"])).out);
    expect(head).toEqual([
      "KEY",
      "VALUES",
      expect.stringMatching(/^CHANGED \(UTC/),
      expect.stringMatching(/^EXPIRES \(UTC/),
    ]);
    expect(corrie?.slice(0, 2)).toEqual(["corrie", '{"nights":3,"rounds":2}']);
    expect(eyrie?.[0]).toBe("eyrie");
    expect(Date.parse(eyrie?.[3] as string) - Date.now()).toBeGreaterThan(29 * 86_400_000);
    expect((await world.ckettle(["remembered", "forget", "counts", "corrie"])).err).toBe("Forgot corrie.\n");
    const left = JSON.parse((await world.ckettle(["remembered", "list", "counts", "--json"])).out) as {
      key: string;
    }[];
    expect(left.map(({ key }) => key)).toEqual(["eyrie"]);
    const none = await world.ckettle(["remembered", "forget", "counts", "corrie"]);
    expect(none.code).toBe(2);
    expect(none.err).toContain("corrie");
  });

  it("a lock says who holds it and who waits; the run that waits says for what, on its page, too", async () => {
    expect(await world.ckettle(["locks"])).toMatchObject({ code: 0, out: "" });
    await faults(world.stays, [{ method: "POST", times: 1, drop: "after" }]);
    const first = await world.settled((await world.run("ensure-guest")).id);
    expect(first.state).toBe("unsure");
    const second = await world.run("ensure-guest");
    await until(async () => {
      const { locks } = await world.client.call(routes.locks);
      return locks[0]?.waiting.includes(second.id) ?? false;
    }, "the second waits for the first");
    const [, row] = rows((await world.ckettle(["locks"])).out);
    expect(row).toEqual(["guest piet", first.id, "record", "? unsure", second.id]);
    await page.goto(`${world.url}/settings/traffic`);
    const lock = page.getByLabel("Locks").getByRole("row").filter({ hasText: "guest piet" });
    await lock.getByText("1 run waits").waitFor();
    await lock.getByRole("link").click();
    await page.waitForURL(`**/runs/${first.id}`);
    await world.client.call(routes.decideRun, {
      params: { id: first.id },
      body: { decision: "happened", attempt: 1, outcome: { status: 201, body: { id: "g-3" } } },
    });
    for (const { id } of [first, second]) expect((await world.settled(id)).state).toBe("succeeded");
    expect((await world.client.call(routes.locks)).locks).toEqual([]);
  });

  it("a run that was called leads to its caller; a stop of that one stops it, too", async () => {
    const outer = await world.run("outer");
    const inner = await until(async () => {
      const { runs } = await world.client.call(routes.listRuns, { query: { workflow: "inner" } });
      return runs[0]?.state === "waiting" && runs[0].trigger.caller?.run === outer.id;
    }, "what it called sleeps").then(() =>
      world.client.call(routes.listRuns, { query: { workflow: "inner" } }),
    );
    const id = inner.runs[0]?.id as string;
    await page.goto(`${world.url}/runs/${id}`);
    await page.getByText("called by").waitFor();
    await page.getByText("resumes at").waitFor();
    await page.locator("header.page-head").getByRole("link", { name: outer.id }).click();
    await page.waitForURL(`**/runs/${outer.id}`);
    await page.getByRole("button", { name: "Stop now" }).click();
    for (const run of [outer.id, id]) expect((await world.settled(run)).state).toBe("stopped");
  });

  it("the rate limit of what was called is listed: set by a document, and learned from responses", async () => {
    const document = `openapi: 3.1.0
info: { title: Boards, version: "1" }
servers: [{ url: ${world.boards.url} }]
x-ckettle-rate-limit: { calls: 5, per: 1s, parallel: 2 }
paths: { /boards/corrie/posts: { get: { operationId: posts, responses: {} } } }
`;
    await world.client.call(routes.putApi, { params: { name: "boards" }, body: { text: document } });
    await world.publish(
      "copper-kettle: 1\nname: looks\nsteps:\n  - { step: a, operation: boards.posts, using: boards-bot }\n",
    );
    await world.settled((await world.run("looks")).id);
    const lines = rows((await world.ckettle(["rate-limits"])).out);
    expect(lines[0]).toEqual([
      "API",
      "CREDENTIAL",
      "RATE LIMIT",
      "IN FLIGHT",
      "WAITING",
      expect.stringMatching(/^PAUSED UNTIL \(UTC/),
    ]);
    expect(lines.find(([api]) => api === "boards")?.slice(0, 5)).toEqual([
      "boards",
      "boards-bot",
      "5 per 1 s, 2 in parallel",
      "0",
      "0",
    ]);
    expect(lines.find(([api]) => api === world.stays.url)?.[2]).toBe("no limit");
  });

  it("what a restored copy does not know is held, and its page lets it go on", async () => {
    const { id } = await world.run("inner");
    await world.settled(id, ["waiting"]);
    const folder = join(world.folder, "backups", "copy");
    expect((await world.ckettle(["backup", folder, "--with-key"])).code).toBe(0);
    const restored = `${world.folder}-restored`;
    expect((await world.ckettle(["restore", folder, "--data", restored])).code).toBe(0);
    const other = await World.on(restored, world);
    try {
      expect((await other.settled(id, ["parked"])).state).toBe("parked");
      const { page: there } = await signIn(browser, other);
      const needing = there.getByLabel("Needs you").getByRole("listitem").filter({ hasText: "parked" });
      await needing.getByRole("link", { name: "Open" }).first().click();
      await there.getByRole("button", { name: "Resume run" }).click();
      expect((await other.settled(id, ["waiting"])).wakeAt).not.toBeNull();
    } finally {
      await other.end("SIGTERM");
    }
  });
});
