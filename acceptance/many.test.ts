import { routes } from "@copper-kettle/contract";
import { createHmac } from "node:crypto";
import { Webhook } from "standardwebhooks";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { until, World } from "./kit.js";

const secret = `whsec_${Buffer.from("a secret of twenty-four b").toString("base64")}`;

describe("a delivery that holds many", () => {
  let world: World;
  let sent = 0;
  beforeAll(async () => {
    world = await World.start();
    await world.client.call(routes.putCredential, {
      params: { name: "hook" },
      body: { kind: "secret", secret },
    });
    await world.publish(
      many("each", 'inputs: { id: "${trigger.item.id}", hut: "${trigger.item.hut}" }', "id-of: item.id"),
    );
    await world.publish(many("plain", 'inputs: { id: "${trigger.item.id}" }', ""));
    await world.publish(
      many(
        "batch",
        'inputs: { id: "${string(size(trigger.items))}" }',
        "id-of: item.id, one-run-each: batch, response: from-run",
      ),
    );
  });
  afterAll(() => world.close());

  const many = (name: string, inputs: string, how: string): string => `copper-kettle: 1
name: ${name}
inputs: { type: object, required: [id], properties: { id: { type: string }, hut: { type: string } } }
limits: { parallel: 3 }
triggers:
  hook:
    webhook: { path: ${name}, verify: { standard-webhooks: hook }, items: trigger.body.events, ${how} }
    only-if: "!has(trigger.item) || trigger.item.?hut.orValue('') != 'eyrie'"
    ${inputs}
steps:
  - { step: reply, respond: { body: { id: "\${inputs.id}", trigger: "\${trigger}" } } }
`;
  const deliver = async (path: string, events: unknown, id = `msg_${++sent}`) => {
    const body = JSON.stringify({ events });
    const at = new Date();
    const response = await fetch(`${world.url}/webhooks/${path}`, {
      method: "POST",
      headers: {
        "Content-Type": "application/json",
        "webhook-id": id,
        "webhook-timestamp": String(Math.floor(at.getTime() / 1_000)),
        "webhook-signature": new Webhook(secret).sign(id, at, body),
      },
      body,
    });
    return { status: response.status, body: (await response.json()) as Record<string, never> };
  };
  const lastEvent = async (name: string) =>
    (await world.client.call(routes.listEvents, { params: { name }, query: { limit: 1 } })).events[0];
  const runsOf = async (event: string) =>
    (await world.client.call(routes.listRuns, { query: { event, limit: 200 } })).runs;
  const count = async (name: string) =>
    (await world.client.call(routes.listRuns, { query: { workflow: name, limit: 200 } })).runs.length;

  it("starts a run for each item that was not there before, in one event", async () => {
    const first = await deliver("each", [
      { id: "a", hut: "corrie" },
      { id: "b", hut: "eyrie" },
      { id: "c", hut: "x" },
      { id: "a", hut: "y" },
    ]);
    expect([first.status, first.body["state"]]).toEqual([202, "started"]);
    const event = await lastEvent("each");
    expect(event).toMatchObject({ runs: 2, state: "started", reason: '1 item was left out by "only-if".' });
    const runs = await runsOf(event?.id ?? "");
    expect(runs).toHaveLength(2);
    for (const { id } of runs) {
      const run = await world.settled(id);
      const { trigger } = run.response?.body as { trigger: object };
      // A run has its own item, and not the whole delivery.
      expect(trigger).toMatchObject({
        item: { id: (run.inputs as { id: string }).id },
        headers: expect.anything(),
      });
      expect(trigger).not.toHaveProperty("body");
    }
    await deliver("each", [
      { id: "c", hut: "x" },
      { id: "d", hut: "x" },
    ]);
    expect(await lastEvent("each")).toMatchObject({ runs: 1, reason: "1 item was there before." });
    expect((await deliver("each", [{ id: "a", hut: "x" }])).body).toMatchObject({
      state: "same",
      run: runs.at(-1)?.id,
    });
    expect(await count("each")).toBe(3);
  });

  it("starts all or none: an item that is at fault is named, and its sender can send all of it again", async () => {
    const before = await count("each");
    const refused = await deliver("each", [
      { id: "e", hut: "x" },
      { id: "f", hut: 7 },
    ]);
    expect(refused.status).toBe(422);
    expect(String(refused.body["detail"])).toMatch(/^item 2: /);
    expect(await count("each")).toBe(before);
    expect(
      (
        await deliver("each", [
          { id: "e", hut: "x" },
          { id: "f", hut: "x" },
        ])
      ).status,
    ).toBe(202);
    expect(await count("each")).toBe(before + 2);
  });

  it("takes a thousand, and no more; nothing that is no list", async () => {
    const of = (size: number, from: string) =>
      Array.from({ length: size }, (_, index) => ({ id: `${from}${index}`, hut: "x" }));
    const tooMany = await deliver("each", of(1_001, "m"));
    expect([tooMany.status, tooMany.body["type"]]).toEqual([413, "urn:copper-kettle:problem:too-many-items"]);
    expect((await deliver("each", { id: "one" })).status).toBe(422);
    expect((await deliver("each", [{ hut: "x" }])).body["detail"]).toBe(
      '"id-of", item 1: No "id" in item; it has "hut".',
    );
    expect((await deliver("each", [])).body).toMatchObject({ state: "left-out" });
    expect((await deliver("each", of(1_000, "n"))).status).toBe(202);
    expect(await lastEvent("each")).toMatchObject({ runs: 1_000 });
    await until(async () => {
      const { runs } = await world.client.call(routes.listRuns, {
        query: { workflow: "each", state: "queued,running", limit: 1 },
      });
      return runs.length === 0;
    }, "all have run");
  });

  it("starts each item once, however many deliveries with it come at a time, and over a kill", async () => {
    const before = await count("batch");
    const items = Array.from({ length: 20 }, (_, index) => ({ id: `k${index}` }));
    const answers = await Promise.all(Array.from({ length: 6 }, () => deliver("batch", items)));
    for (const answer of answers) expect([answer.status, answer.body["id"]]).toEqual([200, "20"]);
    expect(await count("batch")).toBe(before + 1);
    await world.killAndServe();
    expect((await deliver("batch", [...items, { id: "new" }])).body["id"]).toBe("1");
    expect(await count("batch")).toBe(before + 2);
  });

  it("is described for other programs as a list of items", async () => {
    const { openapi } = await world.client.call(routes.describeWorkflow, { params: { name: "each" } });
    expect(JSON.stringify(openapi)).toContain(
      JSON.stringify({
        type: "object",
        properties: {
          events: {
            type: "array",
            maxItems: 1_000,
            items: {
              type: "object",
              properties: { id: { type: "string" }, hut: { type: "string" } },
              required: ["id", "hut"],
            },
          },
        },
        required: ["events"],
      }),
    );
  });

  it("is known by its id where its items have none", async () => {
    const [first, second] = [
      await deliver("plain", [{ id: "a" }, { id: "a" }], "msg_same"),
      await deliver("plain", [{ id: "a" }, { id: "a" }], "msg_same"),
    ];
    expect([first.body["state"], second.body["state"], await count("plain")]).toEqual(["started", "same", 2]);
  });
});

describe("what a webhook says of its deliveries", () => {
  let world: World;
  beforeAll(async () => {
    world = await World.start();
    await world.client.call(routes.putCredential, {
      params: { name: "hook" },
      body: { kind: "bearer", token: "hook-token-123456" },
    });
  });
  afterAll(() => world.close());
  const deliver = (path: string, body: object) =>
    fetch(`${world.url}/webhooks/${path}`, {
      method: "POST",
      headers: { "Content-Type": "application/json", Authorization: "Bearer hook-token-123456" },
      body: JSON.stringify(body),
    });

  it("starts again after a failure where it says so, and keeps the first response where it does not", async () => {
    for (const [path, more] of [
      ["again", "retain-failures: false"],
      ["kept", "retain-keys: 30d"],
    ])
      await world.publish(`copper-kettle: 1
name: ${path}
triggers:
  hook: { webhook: { path: ${path}, verify: { bearer: hook }, response: from-run }, once-per: trigger.body.id, ${more} }
steps:
  - { step: looked, request: "GET \${constants.stays}/guests", using: stays-key, retry: { times: 0 } }
  - { step: reply, respond: { body: "\${run.id}" } }
`);
    await world.client.call(routes.putConstant, {
      params: { name: "stays" },
      body: { value: "http://127.0.0.1:1" },
    });
    const failed = [await deliver("again", { id: "1" }), await deliver("kept", { id: "1" })];
    expect(failed.map(({ status }) => status)).toEqual([502, 502]);
    await world.client.call(routes.putConstant, {
      params: { name: "stays" },
      body: { value: world.stays.url },
    });
    expect([
      (await deliver("again", { id: "1" })).status,
      (await deliver("kept", { id: "1" })).status,
    ]).toEqual([200, 502]);
    const text = async () => (await deliver("again", { id: "1" })).text();
    // From here on the second run is the one that counts.
    expect(await text()).toBe(await text());
    // And what is forgotten starts anew.
    const forget = (name: string) =>
      world.client.call(routes.forgetTrigger, { params: { name, trigger: "hook" } });
    expect(await forget("kept")).toEqual({ items: 0, keys: 1 });
    expect((await deliver("kept", { id: "1" })).status).toBe(200);
    const { runs } = await world.client.call(routes.listRuns, { query: { workflow: "again", limit: 10 } });
    expect(runs.map(({ state }) => state)).toEqual(["succeeded", "failed"]);
  });

  it("takes as many as its rate limit says, and tells when the next one may come", async () => {
    await world.publish(`copper-kettle: 1
name: slow
triggers:
  hook: { webhook: { path: slow, verify: { bearer: hook }, rate-limit: { calls: 3, per: 1h } } }
  other: { webhook: { path: other, verify: { bearer: hook } } }
steps: [{ step: a, note: came }]
`);
    const answers = await Promise.all(Array.from({ length: 5 }, () => deliver("slow", {})));
    expect(answers.map(({ status }) => status).sort()).toEqual([202, 202, 202, 429, 429]);
    const over = answers.find(({ status }) => status === 429);
    expect(Number(over?.headers.get("retry-after"))).toBeGreaterThan(3_500);
    expect((await deliver("other", {})).status).toBe(202);
  });

  it("signs a challenge for a sender that wants it signed, and nothing that could be a delivery", async () => {
    await world.client.call(routes.putCredential, {
      params: { name: "signing" },
      body: { kind: "secret", secret: "board-secret-123" },
    });
    await world.publish(`copper-kettle: 1
name: challenged
triggers:
  hook:
    webhook:
      path: challenged
      methods: [GET, POST]
      verify: { hmac: { using: signing, header: X-Signature, value: "t={timestamp},v1={hex}", base: "\${timestamp}.\${body}" } }
      handshake: { when: "trigger.method == 'GET'", unsigned: true, sign: trigger.query.token, reply: { body: { answer: "sha256=\${signature.base64}", hex: "\${signature.hex}" } } }
steps: [{ step: a, note: came }]
`);
    const ask = async (token: string) => {
      const answer = await fetch(`${world.url}/webhooks/challenged?token=${encodeURIComponent(token)}`);
      return [answer.status, (await answer.json()) as object];
    };
    const signed = createHmac("sha256", "board-secret-123").update("c-42_x").digest();
    expect(await ask("c-42_x")).toEqual([
      200,
      { answer: `sha256=${signed.toString("base64")}`, hex: signed.toString("hex") },
    ]);
    for (const token of ["1700000000.{}", "", "x".repeat(129), '{"id":1}'])
      expect((await ask(token))[0]).toBe(400);
    const { events } = await world.client.call(routes.listEvents, {
      params: { name: "challenged" },
      query: { limit: 5 },
    });
    expect(events).toEqual([]);
  });
});
