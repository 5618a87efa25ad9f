import { routes, type TriggerEvent } from "@copper-kettle/contract";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { arrived, faults, reset, World } from "./kit.js";

describe("runs of one trigger", () => {
  let world: World;
  const addresses: Record<string, string> = {};
  beforeAll(async () => {
    world = await World.start({ demo: true });
    await world.publish(`copper-kettle: 1
name: guests
inputs: { type: object, properties: { guest: { type: string }, n: { type: integer } } }
triggers:
  told:
    webhook: { path: told, verify: none }
    one-at-a-time: "\${trigger.body.guest}"
    inputs: { guest: "\${trigger.body.guest}", n: "\${trigger.body.n}" }
  latest:
    webhook: { path: latest, verify: none }
    one-at-a-time: "\${trigger.body.guest}"
    latest-only: true
    inputs: { guest: "\${trigger.body.guest}", n: "\${trigger.body.n}" }
  busy:
    webhook: { path: busy, verify: none }
    parallel: 2
    when-busy: skip
    inputs: { guest: "\${trigger.body.guest}", n: "\${trigger.body.n}" }
steps:
  - { step: rest, only-if: inputs.guest == "sleeper", wait: { for: 1h } }
  - step: made
    request: POST \${constants.stays}/guests
    using: stays-key
    body: { json: { email: "\${inputs.guest}-\${inputs.n}@huts.example", hut: corrie } }
`);
    for (const trigger of ["told", "latest", "busy"])
      addresses[trigger] = (
        await world.client.call(routes.replaceAddress, { params: { name: "guests", trigger }, body: {} })
      ).address.replace(/^https?:\/\/[^/]+/, "");
  });
  afterAll(() => world.close());

  const send = async (
    trigger: string,
    guest: unknown,
    n: number,
  ): Promise<TriggerEvent & { event: string }> => {
    const answer = await fetch(`${world.url}${addresses[trigger]}`, {
      method: "POST",
      headers: { "Content-Type": "application/json" },
      body: JSON.stringify({ guest, n }),
    });
    return (await answer.json()) as never;
  };
  const run = (id: string | null) => world.client.call(routes.run, { params: { id: id ?? "" } });
  const made = async () =>
    (await arrived(world.stays, "POST")).map(({ body }) => (body as { email: string }).email.split("@")[0]);

  it("with the same text go one after another, in the order of their events; one that is unsure keeps the turn, over a kill", async () => {
    await reset(world.stays);
    await faults(world.stays, [{ method: "POST", times: 1, drop: "after" }]);
    const odd = [];
    for (const n of [1, 2, 3]) odd.push((await send("told", "odd", n)).run);
    const other = (await send("told", "ines", 1)).run;
    await world.settled(odd[0] ?? "", ["unsure"]);
    await world.settled(other ?? "", ["succeeded"]);
    for (const id of odd.slice(1)) {
      const waiting = await run(id);
      expect(waiting).toMatchObject({ state: "queued", waits: [{ kind: "turn", name: odd[0] }] });
    }
    await world.killAndServe();
    expect(await run(odd[2] ?? "")).toMatchObject({
      state: "queued",
      waits: [{ kind: "turn", name: odd[0] }],
    });
    expect((await world.ckettle(["run", "list"])).out).toContain(`Waits for its turn: the run ${odd[0]}`);
    // Another guest does not wait behind them.
    await world.settled((await send("told", "ines", 2)).run ?? "", ["succeeded"]);
    await world.client.call(routes.decideRun, {
      params: { id: odd[0] ?? "" },
      body: { decision: "skip", attempt: 1 } as never,
    });
    for (const id of odd) await world.settled(id ?? "", ["succeeded"]);
    expect((await made()).filter((name) => name?.startsWith("odd"))).toEqual(["odd-1", "odd-2", "odd-3"]);
  });

  it("of which only the latest counts leave out those between", async () => {
    await reset(world.stays);
    const first = (await send("latest", "sleeper", 1)).run;
    await world.settled(first ?? "", ["waiting"]);
    const between = [(await send("latest", "sleeper", 2)).run, (await send("latest", "sleeper", 3)).run];
    const last = (await send("latest", "sleeper", 4)).run;
    for (const id of between)
      expect(await world.settled(id ?? "", ["skipped"])).toMatchObject({
        message: expect.stringMatching(/came after it/) as string,
      });
    await world.killAndServe();
    expect(await run(last)).toMatchObject({ state: "queued", waits: [{ name: first }] });
    await world.client.call(routes.stopRun, { params: { id: first ?? "" }, body: {} });
    await world.settled(last ?? "", ["waiting"]);
    await world.client.call(routes.stopRun, { params: { id: last ?? "" }, body: {} });
    expect(await made()).toEqual([]);
  });

  it("that are as many as may be leave out more", async () => {
    const taken = await Promise.all([1, 2, 3, 4].map((n) => send("busy", "sleeper", n)));
    const states = [];
    for (const { run: id } of taken)
      states.push((await world.settled(id ?? "", ["waiting", "skipped"])).state);
    expect(states.sort()).toEqual(["skipped", "skipped", "waiting", "waiting"]);
    // Runs of another trigger of the workflow are not counted.
    await world.settled((await send("told", "piet", 1)).run ?? "", ["succeeded"]);
  });

  it("refuse an event whose text is nothing", async () => {
    expect(await send("told", " ", 1)).toMatchObject({
      status: 422,
      detail: expect.stringMatching(/one-at-a-time/) as string,
    });
    expect(await send("told", null, 1)).toMatchObject({ status: 422 });
  });
});
