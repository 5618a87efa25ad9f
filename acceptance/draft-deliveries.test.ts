import { routes } from "@copper-kettle/contract";
import { spawn } from "node:child_process";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { root, until, World } from "./kit.js";

const empty = "copper-kettle: 1\nname: hooked\nsteps: []\n";
const file = (condition: string): string => `copper-kettle: 1
name: hooked
inputs: { type: object, properties: { guest: { type: string } } }
triggers:
  told:
    webhook: { path: told, verify: none }
    only-if: ${condition}
    inputs: { guest: "\${trigger.body.guest}" }
steps:
  - { step: reply, respond: { body: { hello: "\${inputs.guest}" } } }
`;

describe("a webhook workflow that begins with its first delivery", () => {
  let world: World;
  beforeAll(async () => void (world = await World.start()));
  afterAll(() => world.close());

  const params = { name: "hooked" };
  const push = (text: string) => world.client.call(routes.pushWorkflow, { params, body: { text } });
  const events = async () =>
    (await world.client.call(routes.listEvents, { params, query: { limit: 50 } })).events;
  const send = async (address: string, body: object, query = "") => {
    const answer = await fetch(address + query, {
      method: "POST",
      headers: { "Content-Type": "application/json", Authorization: "Bearer shown-to-nobody-1" },
      body: JSON.stringify(body),
    });
    return { status: answer.status, body: (await answer.json()) as Record<string, unknown> };
  };

  it("shows what came, saves it as a sample, and then the check knows what the trigger brings", async () => {
    await push(empty);
    const child = spawn(
      process.execPath,
      [join(root, "cli/bin/ckettle.cjs"), "trigger", "follow", "hooked", "--draft", "--once"],
      {
        env: { ...process.env, COPPER_KETTLE_DATA: world.folder },
      },
    );
    let [out, said] = ["", ""];
    child.stdout.on("data", (part: Buffer) => (out += part.toString()));
    child.stderr.on("data", (part: Buffer) => (said += part.toString()));
    const ended = new Promise<number | null>((resolve) => child.on("exit", resolve));
    await until(() => /\/webhooks\/draft\/\S+\n/.test(out), "the address is printed");
    const address = out.trim();
    const sent = await send(address, { guest: "odd", nights: 2, type: "stay.asked" });
    expect(sent).toMatchObject({
      status: 202,
      body: { state: "left-out", reason: "The draft has no webhook yet." },
    });
    expect(await ended).toBe(0);
    expect(out).toContain('"nights": 2');
    expect(out).not.toContain("shown-to-nobody");
    expect(said).toContain("It is saved as a sample");
    // Now there is a trigger: a key that the sample does not have is found, and one that it has is not.
    const check = async (condition: string) =>
      (await world.client.call(routes.check, { body: { text: file(condition) } })).problems.map(
        ({ message }) => message,
      );
    expect(await check("trigger.body.nights > 1")).toEqual([]);
    expect(await check("trigger.body.nigths > 1")).toEqual([
      expect.stringMatching(/has no "nigths".*did you mean "nights"/),
    ]);
    expect(await check("trigger.body.nights == 'two'")).toEqual([expect.stringMatching(/never/)]);
    // The same address goes to the draft as it is now; what came before is sent through again.
    await push(file("trigger.body.nights > 1"));
    const [first] = await events();
    const again = await world.client.call(routes.resendEvent, {
      params: { id: first?.id ?? "" },
      body: { version: "draft" },
    });
    expect(again).toMatchObject({ state: "started", trigger: "told", version: 0 });
    expect((await world.settled(again.run ?? "")).response?.body).toEqual({ hello: "odd" });
    const more = await send(address, { guest: "ines", nights: 3 });
    expect(more).toMatchObject({ status: 202, body: { state: "started" } });
    expect(await send(address, { guest: "ines", nights: 1 })).toMatchObject({ body: { state: "left-out" } });
    // It survives a kill; nobody else's address does anything; a draft with problems starts nothing.
    await world.killAndServe();
    const moved = address.replace(/^https?:\/\/[^/]+/, world.url);
    expect((await send(moved, { guest: "piet", nights: 2 })).body).toMatchObject({ state: "started" });
    expect((await send(`${moved}x`, { guest: "piet" })).status).toBe(404);
    expect((await send(`${world.url}/webhooks/draft`, {})).status).toBe(404);
    await push("copper-kettle: 1\nname: hooked\nsteps: [{ step: a }]\n");
    expect((await send(moved, { guest: "piet" })).body).toMatchObject({
      state: "left-out",
      reason: expect.stringMatching(/problems/) as string,
    });
    await push(file("true"));
    // Another address makes the one before void.
    const { address: other } = await world.client.call(routes.draftAddress, { params });
    expect((await send(moved, { guest: "piet" })).status).toBe(404);
    expect((await send(other, { guest: "piet", nights: 1 })).body).toMatchObject({ state: "started" });
    // The sample is one: another takes its place, over a kill.
    const [newest] = await events();
    await world.ckettle(["trigger", "sample", newest?.id ?? ""]);
    await world.killAndServe();
    const shapes = await world.client.call(routes.triggerShapes, { params });
    expect(Object.keys(shapes.shapes).sort()).toEqual(["draft", "told"]);
    expect((await events()).filter(({ sample, trigger }) => sample && trigger === "told")).toHaveLength(1);
  });

  it("claims no key: what was tried on the draft starts a run when it comes to the published version", async () => {
    await push(
      file("true")
        .replace("only-if: true", "once-per: trigger.body.guest")
        .replace("verify: none", "verify: { bearer: desk }"),
    );
    await world.client.call(routes.putCredential, {
      params: { name: "desk" },
      body: { kind: "bearer", token: "token-desk-12345" },
    });
    const { address } = await world.client.call(routes.draftAddress, { params });
    await world.client.call(routes.publishWorkflow, { params });
    const deliver = async (to: string) => {
      const answer = await fetch(to, {
        method: "POST",
        headers: { "Content-Type": "application/json", Authorization: "Bearer token-desk-12345" },
        body: JSON.stringify({ guest: "odd" }),
      });
      return ((await answer.json()) as { state: string }).state;
    };
    const live = `${world.url}/webhooks/told`;
    const states = [];
    for (const to of [address, address, live, live]) states.push(await deliver(to));
    expect(states).toEqual(["started", "same", "started", "same"]);
  });

  it("takes an event that somebody made up, and says so; no published version does", async () => {
    const made = await world.ckettle(
      ["trigger", "make-up", "hooked", "told", "-"],
      '{ "body": { "guest": "marit" } }',
    );
    expect(made.out).toMatch(/^started/);
    const [event] = await events();
    expect(event).toMatchObject({ madeUp: true, version: 0, trigger: "told" });
    expect((await world.settled(event?.run ?? "")).response?.body).toEqual({ hello: "marit" });
    const bad = await world.ckettle(["trigger", "make-up", "hooked", "told", "-"], "[1]");
    expect([bad.code, bad.err]).toEqual([2, expect.stringContaining("must hold a JSON object")]);
    const nobody = await world.ckettle(["trigger", "make-up", "hooked", "other", "-"], "{}");
    expect(nobody.err).toContain("no such trigger");
  });

  it("gives addresses and samples only to who may", async () => {
    for (const [method, path] of [
      ["POST", "/api/workflows/hooked/draft-address"],
      ["POST", "/api/workflows/hooked/draft-events"],
      ["GET", "/api/workflows/hooked/trigger-shapes"],
    ] as const)
      expect((await fetch(world.url + path, { method })).status).toBe(401);
  });
});
