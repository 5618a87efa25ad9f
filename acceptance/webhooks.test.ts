import { routes } from "@copper-kettle/contract";
import { createHmac } from "node:crypto";
import { connect } from "node:net";
import { Webhook } from "standardwebhooks";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { until, World } from "./kit.js";

const secret = `whsec_${Buffer.from("a secret of twenty-four b").toString("base64")}`;

describe("webhooks", () => {
  let world: World;
  beforeAll(async () => {
    world = await World.start();
    const put = (name: string, body: object) =>
      world.client.call(routes.putCredential, { params: { name }, body: body as never });
    await put("stays-hook", { kind: "secret", secret });
    await put("board-hook", { kind: "secret", secret: "board-secret-123" });
    await put("desk-basic", { kind: "basic", user: "desk", password: "pw-desk-123456" });
    await put("desk-key", {
      kind: "api-key",
      parts: [{ place: "header", name: "X-Desk-Key", secret: "key-desk-123456" }],
    });
    await world.publish(`copper-kettle: 1
name: booked
inputs: { type: object, required: [id], properties: { id: { type: string }, hut: { type: string } } }
triggers:
  booked:
    webhook: { path: stay-booked, verify: { standard-webhooks: stays-hook }, response: from-run, within: 10s }
    only-if: trigger.body.type == "stay.booked"
    once-per: trigger.body.data.id
    inputs: { id: "\${trigger.body.data.id}", hut: "\${trigger.body.data.?hut.orValue('corrie')}" }
steps:
  - { step: reply, respond: { status: 201, body: { id: "\${inputs.id}", seen: "\${trigger.headers}" } } }
`);
    await world.publish(`copper-kettle: 1
name: boards
triggers:
  board:
    webhook:
      path: board
      verify: { hmac: { using: board-hook, header: X-Signature, value: "t={timestamp},v1={hex}", base: "\${timestamp}.\${body}" } }
      handshake: { when: has(trigger.body.challenge), unsigned: true, reply: { body: { challenge: "\${trigger.body.challenge}" } } }
      response: { status: 200, body: { ok: true } }
  basic: { webhook: { path: basic, verify: { basic: desk-basic } } }
  key: { webhook: { path: key, verify: { api-key: desk-key }, methods: [PUT], most: 100 } }
  open: { webhook: { path: open, verify: none, origins: ["https://pages.example"] } }
steps:
  - { step: reply, respond: { body: "\${trigger}" } }
`);
  });
  afterAll(() => world.close());

  const events = async (name: string, trigger?: string) =>
    (
      await world.client.call(routes.listEvents, {
        params: { name },
        query: { limit: 200, ...(trigger ? { trigger } : {}) },
      })
    ).events;
  const send = (path: string, body: string | Buffer, headers: Record<string, string> = {}, method = "POST") =>
    fetch(`${world.url}/webhooks/${path}`, {
      method,
      headers: { "Content-Type": "application/json", ...headers },
      ...(method === "GET" || method === "OPTIONS" ? {} : { body: body as never }),
    });
  let sent = 0;
  const signed = (body: string, { at = new Date(), id = `msg_${++sent}` } = {}) => ({
    "webhook-id": id,
    "webhook-timestamp": String(Math.floor(at.getTime() / 1_000)),
    "webhook-signature": new Webhook(secret).sign(id, at, body),
  });
  const booked = (id: string, more = {}) => JSON.stringify({ type: "stay.booked", data: { id, ...more } });

  it("start a run by a verified delivery, whose response the sender gets", async () => {
    const body = booked("s-1", { hut: "eyrie" });
    const answer = await send("stay-booked", body, {
      ...signed(body),
      Cookie: "a=b",
      Authorization: "Bearer x",
    });
    expect(answer.status).toBe(201);
    const given = (await answer.json()) as { id: string; seen: Record<string, string> };
    expect(given.id).toBe("s-1");
    // What proves where it comes from is not seen by expressions, and no response can act as a page.
    expect(Object.keys(given.seen)).not.toEqual(expect.arrayContaining(["authorization"]));
    for (const name of ["authorization", "cookie", "webhook-signature"])
      expect(given.seen[name]).toBeUndefined();
    expect(answer.headers.get("content-security-policy")).toBe("sandbox; default-src 'none'");
    expect(answer.headers.get("x-content-type-options")).toBe("nosniff");
    const [event] = await events("booked");
    expect(event).toMatchObject({
      state: "started",
      trigger: "booked",
      brought: { body: { data: { id: "s-1" } } },
    });
    const run = await world.settled(event?.run as string);
    expect([run.inputs, run.trigger.kind, run.startedBy]).toEqual([
      { id: "s-1", hut: "eyrie" },
      "webhook",
      "service",
    ]);
  });

  it("start one run for what is sent twice, also at the same moment; the repeat gets its response", async () => {
    const body = booked("s-2");
    const answers = await Promise.all(
      Array.from({ length: 8 }, () => send("stay-booked", body, signed(body))),
    );
    for (const answer of answers)
      expect([answer.status, ((await answer.json()) as { id: string }).id]).toEqual([201, "s-2"]);
    await world.killAndServe();
    expect((await send("stay-booked", body, signed(body))).status).toBe(201);
    const states = (await events("booked"))
      .filter(({ brought }) => JSON.stringify(brought).includes("s-2"))
      .map(({ state }) => state);
    expect(states.filter((state) => state === "started")).toHaveLength(1);
    expect(states.filter((state) => state === "same")).toHaveLength(8);
  });

  it("leave out, refuse and claim no key: a repeat after the repair starts", async () => {
    const other = JSON.stringify({ type: "stay.left", data: { id: "s-3" } });
    expect((await send("stay-booked", other, signed(other))).status).toBe(202);
    const blank = JSON.stringify({ type: "stay.booked", data: { id: " " } });
    expect((await send("stay-booked", blank, signed(blank))).status).toBe(422);
    const none = JSON.stringify({ type: "stay.booked", data: {} });
    expect((await send("stay-booked", none, signed(none))).status).toBe(422);
    const wrong = JSON.stringify({ type: "stay.booked", data: { id: "s-4", hut: 5 } });
    expect((await send("stay-booked", wrong, signed(wrong))).status).toBe(422);
    const good = booked("s-4");
    expect((await send("stay-booked", good, signed(good))).status).toBe(201);
    expect((await events("booked")).slice(0, 5).map(({ state }) => state)).toEqual([
      "started",
      "refused",
      "refused",
      "refused",
      "left-out",
    ]);
  });

  it("tell a sender that cannot prove itself nothing, and us exactly why", async () => {
    const body = booked("s-5");
    const headers = signed(body);
    const forged: [string, Record<string, string>][] = [
      [body, {}],
      [body, { ...headers, "webhook-signature": `v1,${Buffer.alloc(32).toString("base64")}` }],
      [body.replace("s-5", "s-6"), headers],
      [body, signed(body, { at: new Date(Date.now() - 400_000) })],
    ];
    const answers = await Promise.all(
      forged.map(async ([text, fields]) => {
        const answer = await send("stay-booked", text, fields);
        return [answer.status, await answer.text()];
      }),
    );
    expect(new Set(answers.map(([status]) => status))).toEqual(new Set([401]));
    expect(new Set(answers.map(([, text]) => text)).size).toBe(1);
    const reasons = (await events("booked")).slice(0, 4).map(({ state, reason }) => `${state}: ${reason}`);
    expect(reasons.join("\n")).toMatch(/is missing/);
    expect(reasons.join("\n")).toMatch(/does not fit/);
    expect(reasons.join("\n")).toMatch(/signed 40\d s ago/);
    for (let count = 0; count < 40; count++) await send("stay-booked", body, {});
    expect((await events("booked")).filter(({ state }) => state === "refused").length).toBeLessThanOrEqual(
      20,
    );
    expect(
      (await world.client.call(routes.listRuns, { query: { workflow: "booked", text: "s-5" } })).runs,
    ).toEqual([]);
  });

  it("take a secret that is being replaced, until it holds no more", async () => {
    const body = booked("s-7");
    await world.client.call(routes.putCredential, {
      params: { name: "stays-hook" },
      body: { kind: "secret", secret: `whsec_${Buffer.alloc(24, 7).toString("base64")}`, overlap: "1h" },
    });
    expect((await send("stay-booked", body, signed(body))).status).toBe(201);
    await world.client.call(routes.putCredential, {
      params: { name: "stays-hook" },
      body: { kind: "secret", secret },
    });
  });

  it("answer a handshake, verify by HMAC, Basic and key, and by method, length and origin", async () => {
    const hello = await send("board", '{"challenge":"abc"}');
    expect([hello.status, await hello.json()]).toEqual([200, { challenge: "abc" }]);
    const body = '{"post":"p-1"}';
    const t = String(Math.floor(Date.now() / 1_000));
    const v1 = createHmac("sha256", "board-secret-123").update(`${t}.${body}`).digest("hex");
    const good = await send("board", body, { "X-Signature": `t=${t},v1=${v1}` });
    expect([good.status, await good.json()]).toEqual([200, { ok: true }]);
    expect((await send("board", body, { "X-Signature": `t=${t},v1=${"0".repeat(64)}` })).status).toBe(401);
    const basic = (text: string) => ({ Authorization: `Basic ${Buffer.from(text).toString("base64")}` });
    expect((await send("basic", "{}", basic("desk:pw-desk-123456"))).status).toBe(202);
    expect((await send("basic", "{}", basic("desk:other"))).status).toBe(401);
    const key = { "X-Desk-Key": "key-desk-123456" };
    expect((await send("key", "{}", key, "PUT")).status).toBe(202);
    const wrong = await send("key", "{}", key);
    expect([wrong.status, wrong.headers.get("allow")]).toEqual([405, "PUT"]);
    expect((await send("key", `"${"x".repeat(200)}"`, key, "PUT")).status).toBe(413);
    expect((await send("key", '{"a":', key, "PUT")).status).toBe(400);
    expect((await send("key", Buffer.from([0x22, 0xff, 0x22]), key, "PUT")).status).toBeLessThan(500);
    // Nothing that proves anything is in what is shown of it, neither of a good delivery nor of a refused one.
    expect(
      (await send("key", '{"seen":"board-secret-123"}', { "X-Desk-Key": "key-desk-wrong-1" }, "PUT")).status,
    ).toBe(401);
    const shown = JSON.stringify(await events("boards"));
    for (const secret of ["key-desk-123456", "key-desk-wrong-1", "pw-desk-123456", "board-secret-123"])
      expect([secret, shown.includes(secret)]).toEqual([secret, false]);
    for (const odd of ["nothing", "%", "key%00", "a/b/c", "key?a=%E0%A4%A"])
      expect([odd, (await send(odd, "{}")).status < 500]).toEqual([odd, true]);
    expect((await send("nothing", "{}")).status).toBe(404);
    expect((await send("stay-booked/x", "{}")).status).toBe(404);
  });

  it("that verify nothing have an address that nobody guesses, and that can be replaced with an overlap", async () => {
    const params = { name: "boards", trigger: "open" };
    expect((await send("open", "{}")).status).toBe(404);
    const give = async (overlap?: string) =>
      (await world.client.call(routes.replaceAddress, { params, body: overlap ? { overlap } : {} })).address;
    const first = (await give()).split("/webhooks/")[1] as string;
    expect(first).toMatch(/^open\/[\w-]{27}$/);
    expect((await send(first, "{}")).status).toBe(202);
    const second = (await give("1h")).split("/webhooks/")[1] as string;
    expect([(await send(first, "{}")).status, (await send(second, "{}")).status]).toEqual([202, 202]);
    await give();
    expect([(await send(first, "{}")).status, (await send(second, "{}")).status]).toEqual([404, 404]);
    const third = (await give()).split("/webhooks/")[1] as string;
    const page = { Origin: "https://pages.example" };
    const asked = await send(third, "", page, "OPTIONS");
    expect([asked.status, asked.headers.get("access-control-allow-origin")]).toEqual([
      204,
      "https://pages.example",
    ]);
    expect((await send(third, "{}", page)).headers.get("access-control-allow-origin")).toBe(
      "https://pages.example",
    );
    expect(
      (await send(third, "{}", { Origin: "https://other.example" })).headers.get(
        "access-control-allow-origin",
      ),
    ).toBeNull();
    const shown = await world.client.call(routes.trigger, { params });
    expect(shown.address).toEqual({ url: `${world.url}/webhooks/open`, secret: "given" });
    await world.client.call(routes.switchTrigger, { params, body: { on: false } });
    const off = await send(third, "{}");
    expect([off.status, off.headers.get("retry-after")]).toEqual([503, "300"]);
    expect((await send("open/wrong", "{}")).status).toBe(404);
    await world.client.call(routes.switchTrigger, { params, body: { on: true } });
  });

  it("are shown where their credential is: used by the workflow, ready, and used successfully", async () => {
    const body = booked("s-8");
    expect((await send("stay-booked", body, signed(body))).status).toBe(201);
    const { credentials } = await world.client.call(routes.listCredentials);
    expect(credentials.find(({ name }) => name === "stays-hook")).toMatchObject({
      usedBy: ["booked"],
      state: "ready",
      shown: [],
      lastWorkedAt: expect.any(String) as string,
    });
    expect((await world.ckettle(["credential", "show", "stays-hook"])).out).toMatch(
      /^sends +nothing: it verifies deliveries$/m,
    );
    const check = await world.client.call(routes.checkCredential, {
      params: { name: "stays-hook" },
      body: { url: world.stays.url },
    });
    expect(check).toMatchObject({ ok: false, code: "sent-nowhere", sent: [] });
    const after = await world.client.call(routes.listCredentials);
    expect(after.credentials.find(({ name }) => name === "stays-hook")?.state).toBe("ready");
  });

  it("understand CloudEvents, and take each once", async () => {
    const address = (
      await world.client.call(routes.replaceAddress, {
        params: { name: "boards", trigger: "open" },
        body: {},
      })
    ).address;
    const { HTTP, CloudEvent } = await import("cloudevents");
    const event = new CloudEvent({ type: "stay.booked", source: "/stays", data: { id: "s-9" } });
    const { headers, body } = HTTP.structured(event);
    const deliver = () =>
      fetch(address.replace(/^https?:\/\/[^/]+/, world.url), {
        method: "POST",
        headers: headers as never,
        body: body as string,
      });
    expect([(await deliver()).status, (await deliver()).status]).toEqual([202, 202]);
    const [again, first] = await events("boards", "open");
    expect([first?.state, again?.state]).toEqual(["started", "same"]);
    expect(first?.brought).toMatchObject({
      body: { id: "s-9" },
      event: { type: "stay.booked", source: "/stays" },
    });
  });

  it("have a path that no other workflow may take", async () => {
    await world.client.call(routes.pushWorkflow, {
      params: { name: "thief" },
      body: {
        text: "copper-kettle: 1\nname: thief\ntriggers: { a: { webhook: { path: board, verify: none } } }\nsteps: [{ step: a, note: x }]\n",
      },
    });
    await expect(world.client.call(routes.publishWorkflow, { params: { name: "thief" } })).rejects.toThrow(
      'The path "board" belongs to a webhook of boards.',
    );
  });

  it("are durable once they are answered: every answered delivery has its run after a kill", async () => {
    const answered = new Set<string>();
    let stop = false;
    const sender = async (lane: number): Promise<void> => {
      for (let count = 0; !stop && count < 400; count++) {
        const id = `k-${lane}-${count}`;
        const body = booked(id);
        const answer = await send("stay-booked", body, signed(body)).catch(() => undefined);
        if (answer && answer.status < 300) answered.add(id);
        await answer?.text().catch(() => undefined);
      }
    };
    for (let kill = 0; kill < 3; kill++) {
      stop = false;
      const before = answered.size;
      const senders = Promise.all([1, 2, 3, 4].map((lane) => sender(kill * 10 + lane)));
      await until(() => answered.size > before + 20, "some were answered");
      await Promise.all([
        world.killAndServe(),
        senders.finally(() => undefined),
        new Promise<void>((done) => ((stop = true), done())),
      ]);
    }
    const started = new Set<string>();
    for (let before: string | undefined; ;) {
      const page = await world.client.call(routes.listEvents, {
        params: { name: "booked" },
        query: { limit: 200, ...(before ? { before } : {}) },
      });
      for (const { state, brought } of page.events) {
        const id = (brought as { body?: { data?: { id?: string } } }).body?.data?.id;
        if (state !== "started" || !id?.startsWith("k-")) continue;
        expect(started.has(id)).toBe(false);
        started.add(id);
      }
      before = page.events.at(-1)?.id;
      if (!page.more) break;
    }
    for (const id of answered) expect(started.has(id)).toBe(true);
  });

  it("do not wait for a body that never comes", async () => {
    const { hostname, port } = new URL(world.url);
    const socket = connect(Number(port), hostname);
    let text = "";
    socket.setEncoding("utf8").on("data", (piece: string) => (text += piece));
    socket.write(
      `PUT /webhooks/key HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\nContent-Length: 4000000\r\n\r\n{`,
    );
    await until(() => text.includes("HTTP/1.1 413"), "it is refused before its body has come", 5_000);
    socket.destroy();
  });
});
