import { routes } from "@copper-kettle/contract";
import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { until, World } from "./kit.js";

describe("polls", () => {
  let world: World;
  let server: Server;
  let url: string;
  let items: object[] = [];
  let status = 200;
  const asked: string[] = [];
  /** The response's entity tag, and how often it was told to be the same. */
  let tag = "";
  let unchanged = 0;
  beforeAll(async () => {
    server = createServer((request, response) => {
      asked.push(`${request.method} ${request.url}`);
      if (tag && request.headers["if-none-match"] === tag) {
        unchanged++;
        return void response.writeHead(304).end();
      }
      const headers = { "Content-Type": "application/json", ...(tag ? { ETag: tag } : {}) };
      response.writeHead(status, headers).end(JSON.stringify({ items }));
    });
    await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
    url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
    world = await World.start({ env: { COPPER_KETTLE_ALLOW_ADDRESSES: "127.0.0.1" } });
    await world.client.call(routes.putConstant, { params: { name: "far" }, body: { value: url } });
  });
  afterAll(async () => {
    await world.close();
    server.closeAllConnections();
    server.close();
  });

  const file = (name: string, poll: string) =>
    `copper-kettle: 1\nname: ${name}\ntriggers:\n  new: { poll: { request: "GET \${constants.far}/${name}", every: 1s, items: body.items, ${poll} } }\nsteps:\n  - { step: reply, respond: { body: "\${trigger}" } }\n`;
  const events = async (name: string) =>
    (await world.client.call(routes.listEvents, { params: { name }, query: { limit: 200 } })).events;
  const looks = (name: string) => asked.filter((one) => one.startsWith(`GET /${name}`)).length;
  const lookAgain = async (name: string): Promise<void> => {
    const before = looks(name);
    await until(() => looks(name) >= before + 2, "it has looked again");
  };
  const off = (name: string) =>
    world.client.call(routes.switchTrigger, { params: { name, trigger: "new" }, body: { on: false } });

  it("start a run for what is new or changed, once, over kills; what was there first is skipped", async () => {
    items = [{ id: "a", state: "open" }];
    await world.publish(file("stays", 'id-of: item.id, changed: "[item.state]"'));
    await until(() => looks("stays") >= 2, "it has looked");
    expect(await events("stays")).toEqual([]);
    items = [
      { id: "a", state: "open" },
      { id: "b", state: "open" },
    ];
    await lookAgain("stays");
    await world.killAndServe();
    await lookAgain("stays");
    items = [
      { id: "a", state: "left" },
      { id: "b", state: "open" },
    ];
    await lookAgain("stays");
    // Back to what it was: that is a change, too.
    items = [
      { id: "a", state: "open" },
      { id: "b", state: "open" },
    ];
    await lookAgain("stays");
    const found = (await events("stays")).reverse();
    expect(found.map(({ state, brought }) => [state, brought])).toEqual([
      ["started", { item: { id: "b", state: "open" }, new: true }],
      ["started", { item: { id: "a", state: "left" }, new: false, before: { id: "a", state: "open" } }],
      ["started", { item: { id: "a", state: "open" }, new: false, before: { id: "a", state: "left" } }],
    ]);
    const run = await world.settled(found[0]?.run as string);
    expect(run.response?.body).toMatchObject({ kind: "poll", name: "new", item: { id: "b" }, new: true });
    // An outage that answers with an empty list forgets nothing.
    items = [];
    await lookAgain("stays");
    items = [
      { id: "a", state: "open" },
      { id: "b", state: "open" },
    ];
    await lookAgain("stays");
    expect(await events("stays")).toHaveLength(3);
    // Ids that are made of something else: what is there is known.
    await world.publish(file("stays", "id-of: item.id + 'x'"));
    await lookAgain("stays");
    expect(await events("stays")).toHaveLength(3);
    await off("stays");
    await world.killAndServe();
    const stopped = await world.client.call(routes.trigger, { params: { name: "stays", trigger: "new" } });
    expect(stopped).toMatchObject({ on: false, next: [] });
  });

  it("read from their mark on, less what may come late, and start what is there at first if that is asked for", async () => {
    items = [{ id: 1, at: "2027-03-01T05:00:00Z" }];
    const name = await world.publish(
      file(
        "marked",
        'id-of: item.id, first: all, query: { since: "${mark}" }, mark: { value: "body.items.map(i, i.at)", kind: time, overlap: 2m }',
      ),
    );
    await until(async () => (await events(name)).length === 1, "the first one has started");
    items = [
      { id: 1, at: "2027-03-01T05:00:00Z" },
      { id: 2, at: "2027-03-01T04:59:00Z" },
    ];
    await until(async () => (await events(name)).length === 2, "what came late has started");
    const queries = asked.filter((one) => one.startsWith("GET /marked"));
    expect(queries[0]).toBe("GET /marked");
    expect(queries.at(-1)).toBe(`GET /marked?since=${encodeURIComponent("2027-03-01T04:58:00.000Z")}`);
    await off(name);
  });

  it("begin at a mark that the file gives", async () => {
    items = [{ id: 1, at: "2027-03-01T05:00:00Z" }];
    const name = await world.publish(
      file(
        "since",
        'id-of: item.id, first: { since: 2027-02-01T00:00:00Z }, query: { since: "${mark}" }, mark: { value: "body.items.map(i, i.at)", kind: time, overlap: 2m }',
      ),
    );
    await until(async () => (await events(name)).length === 1, "what is there since then has started");
    expect(asked.find((one) => one.startsWith("GET /since"))).toBe(
      `GET /since?since=${encodeURIComponent("2027-02-01T00:00:00.000Z")}`,
    );
    await off(name);
  });

  it("start a run for what is gone; for much at once only when a person agrees", async () => {
    const all = Array.from({ length: 20 }, (_, id) => ({ id, hut: `h${id}` }));
    items = all;
    const name = await world.publish(file("gone", "id-of: item.id, gone: true"));
    await lookAgain(name);
    items = all.slice(2);
    await until(async () => (await events(name)).length === 2, "two of twenty are gone");
    expect((await events(name)).map(({ brought }) => brought)).toEqual(
      expect.arrayContaining(all.slice(0, 2).map((item) => ({ item, new: false, gone: true }))),
    );
    // One that is back is new, and is not gone twice.
    items = all.slice(1);
    await until(async () => (await events(name)).length === 3, "one is back");
    expect((await events(name))[0]?.brought).toEqual({ item: all[1], new: true, gone: false });
    for (const left of [[], all.slice(10)]) {
      items = left;
      await lookAgain(name);
      expect(await events(name)).toHaveLength(3);
    }
    const [shown] = (await world.client.call(routes.listTriggers, { query: { workflow: name } })).triggers;
    expect(shown?.looked).toMatchObject({ gone: 9 });
    expect(shown?.trouble).toMatch(/^9 items of the poll new of gone are gone at once/);
    const look = (start: boolean) =>
      world.client.call(routes.lookTrigger, { params: { name, trigger: "new" }, body: { start } });
    expect(await look(false)).toMatchObject({ count: 9, gone: 9, started: false });
    await world.killAndServe();
    expect(await look(true)).toMatchObject({ count: 9, started: true });
    await until(async () => (await events(name)).length === 12, "they have started");
    await lookAgain(name);
    expect(await events(name)).toHaveLength(12);
    await off(name);
  });

  it("know nothing any more when a person says so", async () => {
    items = [{ id: 1 }, { id: 2 }];
    const name = await world.publish(file("forgets", "id-of: item.id, first: all"));
    await until(async () => (await events(name)).length === 2, "both have started");
    const said = await world.ckettle(["trigger", "forget", name, "new"]);
    expect(said.out).toContain("Forgot 2 items and 0 keys.");
    await until(async () => (await events(name)).length === 4, "both have started again");
    await lookAgain(name);
    expect(await events(name)).toHaveLength(4);
    await off(name);
  });

  it("ask only for what is another than the last time, and take what was held back again", async () => {
    items = [{ id: 1 }];
    tag = '"one"';
    const name = await world.publish(file("tagged", "id-of: item.id, first: all"));
    await until(async () => (await events(name)).length === 1, "it has started");
    const before = unchanged;
    await until(() => unchanged > before + 1, "it has asked twice more");
    const { looks: seen } = await world.client.call(routes.listLooks, { params: { name, trigger: "new" } });
    expect(seen.at(-1)?.entries).toMatchObject([
      { type: "begun", data: { request: { method: "GET", url: `${url}/tagged` } } },
      { type: "attempt", response: { status: 200, body: { items: [{ id: 1 }] } } },
    ]);
    expect(seen[0]?.entries.at(-1)).toMatchObject({ type: "attempt", response: { status: 304 } });
    expect((await world.ckettle(["trigger", "looks", name, "new"])).out).toMatch(/GET http.*\/tagged +304/);
    await lookAgain(name);
    expect(unchanged).toBeGreaterThanOrEqual(before + 1);
    items = [{ id: 1 }, { id: 2 }];
    tag = '"two"';
    await until(async () => (await events(name)).length === 2, "what is new has started");
    const whole = async () => {
      const { looks: all } = await world.client.call(routes.listLooks, { params: { name, trigger: "new" } });
      const statuses = all.map(({ entries }) => entries.at(-1) as { response: { status: number } });
      return statuses.filter(({ response }) => response.status === 200).length;
    };
    await lookAgain(name);
    expect(await whole()).toBe(2);
    // Another version may read something else in the same response: it is asked for once more.
    await world.publish(file("tagged", "id-of: item.id, first: all, ignore: item.id == 9"));
    await lookAgain(name);
    expect(await whole()).toBe(3);
    const text = file("tagged", "id-of: string(item.id) + 'x', first: all");
    await world.client.call(routes.pushWorkflow, { params: { name }, body: { text } });
    expect((await world.client.call(routes.publishWorkflow, { params: { name } })).notes).toEqual([
      "The poll new tells its items by something else now: what its next look reads counts as known, and starts nothing.",
    ]);
    // Ids that are made of something else: what is there is known, whatever the file says of a first look.
    await lookAgain(name);
    expect(await events(name)).toHaveLength(2);
    tag = '"three"';
    items = [{ id: 1 }, { id: 2 }, { id: 3 }];
    await until(async () => (await events(name)).length === 3, "what is new has started");
    await off(name);
    tag = "";
  });

  it("go in batches", async () => {
    items = Array.from({ length: 25 }, (_, id) => ({ id }));
    const name = await world.publish(
      file("batched", "id-of: item.id, first: all, one-run-each: batch, most: 10"),
    );
    await until(async () => (await events(name)).length === 3, "three batches have started");
    const sizes = (await events(name)).map(({ brought }) => (brought as { items: object[] }).items.length);
    expect(sizes.sort()).toEqual([10, 10, 5]);
    await off(name);
  });

  it("keep their place when they fail, look less often, and say it once", async () => {
    items = [{ id: "a" }];
    const name = await world.publish(file("failing", "id-of: item.id, retry: { times: 0 }"));
    await until(() => looks(name) >= 2, "it has looked");
    status = 500;
    await until(async () => (await events(name)).length === 1, "it says that it failed", 15_000);
    expect((await events(name))[0]).toMatchObject({
      state: "refused",
      reason: expect.stringContaining("500") as string,
    });
    await until(async () => {
      const { looked, next } = await world.client.call(routes.trigger, { params: { name, trigger: "new" } });
      return typeof looked?.fault === "string" && Date.parse(next[0] ?? "") - Date.parse(looked.at) > 3_000;
    }, "it looks less and less often");
    items = [{ id: "a" }, { id: "b" }];
    status = 200;
    await until(
      async () => (await events(name)).some(({ state }) => state === "started"),
      "it goes on",
      20_000,
    );
    expect((await events(name)).map(({ state }) => state)).toEqual(["started", "refused"]);
    await off(name);
  });

  it("only read, and have a look now", async () => {
    const text = file("writes", "id-of: item.id").replace("GET $", "POST $");
    const { problems } = await world.client.call(routes.check, { body: { text } });
    expect(problems.map(({ message }) => message)).toContain("A poll only reads, but this call writes.");
  });
});
