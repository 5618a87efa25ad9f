import { routes } from "@copper-kettle/contract";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { arrived, faults, reset, until, World } from "./kit.js";

describe("what an event only names", () => {
  let world: World;
  let address = "";
  beforeAll(async () => {
    world = await World.start({ demo: true });
    await world.publish(`copper-kettle: 1
name: guests
inputs: { type: object, required: [email], properties: { email: { type: string, format: email } } }
triggers:
  told:
    webhook: { path: told, verify: none }
    fetch: { request: "GET \${constants.stays}/guests/\${trigger.body.guest}", using: stays-key, retry: { times: 1 } }
    only-if: trigger.fetched.body.email != "nobody@huts.example"
    one-at-a-time: "\${trigger.body.guest}"
    inputs: { email: "\${trigger.fetched.body.email}" }
steps:
  - { step: reply, respond: { body: "\${trigger.fetched.status}" } }
`);
    address = (
      await world.client.call(routes.replaceAddress, {
        params: { name: "guests", trigger: "told" },
        body: {},
      })
    ).address.replace(/^https?:\/\/[^/]+/, "");
    await reset(world.stays);
  });
  afterAll(() => world.close());

  const guest = async (email: string): Promise<string> => {
    const made = await fetch(`${world.stays.url}/guests`, {
      method: "POST",
      headers: { Authorization: "Bearer sk-stays-4b7e1f20c9", "Content-Type": "application/json" },
      body: JSON.stringify({ email }),
    });
    return ((await made.json()) as { id: string }).id;
  };
  const send = async (id: string): Promise<{ event: string; state: string }> => {
    const answer = await fetch(world.url + address, {
      method: "POST",
      headers: { "Content-Type": "application/json" },
      body: JSON.stringify({ guest: id }),
    });
    expect(answer.status).toBe(202);
    return (await answer.json()) as never;
  };
  const event = async (id: string) =>
    (
      await world.client.call(routes.listEvents, { params: { name: "guests" }, query: { limit: 100 } })
    ).events.find((one) => one.id === id);
  const ended = async (id: string) => {
    await until(async () => (await event(id))?.state !== "arrived", "its fetch is done");
    return event(id);
  };

  it("is fetched after the sender was answered, and is in the scope of all keys", async () => {
    const { event: id, state } = await send(await guest("ines@alpha.example"));
    expect(state).toBe("arrived");
    const done = await ended(id);
    expect(done).toMatchObject({
      state: "started",
      brought: { fetched: { body: { email: "ines@alpha.example" } } },
    });
    expect((await world.settled(done?.run ?? "")).response?.body).toBe(200);
    expect(await ended((await send(await guest("nobody@huts.example"))).event)).toMatchObject({
      state: "left-out",
    });
  });

  it("refuses its event when it cannot be fetched, which can be sent through again", async () => {
    await faults(world.stays, [{ method: "GET", times: 1, status: 404 }]);
    const { event: id } = await send(await guest("odd@alpha.example"));
    expect(await ended(id)).toMatchObject({
      state: "refused",
      reason: expect.stringMatching(/could not be fetched.*404/) as string,
    });
    const again = await world.client.call(routes.resendEvent, { params: { id }, body: {} });
    expect(await ended(again.id)).toMatchObject({ state: "started" });
  });

  it("is fetched once the service is back after a kill, and starts one run", async () => {
    const before = (await arrived(world.stays, "GET")).length;
    await faults(world.stays, [{ method: "GET", times: 1, latency: 5_000 }]);
    const ids = [];
    const piet = await guest("piet@alpha.example");
    for (let count = 0; count < 3; count++) ids.push((await send(piet)).event);
    await until(
      async () => (await arrived(world.stays, "GET")).length > before,
      "the first call has arrived",
    ).catch(() => undefined);
    await world.killAndServe();
    const runs = [];
    for (const id of ids) {
      const done = await ended(id);
      expect(done).toMatchObject({ state: "started" });
      runs.push(done?.run);
    }
    // In the order in which they came.
    expect(runs).toEqual([...runs].sort());
    expect(new Set(runs).size).toBe(3);
    const { runs: all } = await world.client.call(routes.listRuns, {
      query: { workflow: "guests", limit: 100 },
    });
    expect(all).toHaveLength(5);
  });

  it("cannot be what a sender waits for, and only reads", async () => {
    const check = async (hook: string, call: string) =>
      (
        await world.client.call(routes.check, {
          body: {
            text: `copper-kettle: 1\nname: x\ntriggers:\n  t:\n    webhook: { path: x, verify: none${hook} }\n    fetch: { request: "${call}" }\nsteps: []\n`,
          },
        })
      ).problems.map(({ message }) => message);
    expect(await check("", "GET https://a.example/x")).toEqual([]);
    expect(await check(", response: from-run", "GET https://a.example/x")).toEqual([
      expect.stringMatching(/answered before/),
    ]);
    expect(await check("", "POST https://a.example/x")).toEqual([expect.stringMatching(/only reads/)]);
  });
});
