import { routes } from "@copper-kettle/contract";
import { readdir, readFile } from "node:fs/promises";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { World } from "./kit.js";

const email = "signe.aas@guests.example";
const forms = [email, encodeURIComponent(email), Buffer.from(email).toString("base64").slice(0, -4)];

describe("what is erased of a person", () => {
  let world: World;
  let ids: string[];
  let asleep: string;

  beforeAll(async () => {
    world = await World.start();
    await world.publish(`
copper-kettle: 1
name: person
inputs: { type: object, properties: { email: { type: string } } }
steps:
  - { step: found, request: "GET \${constants.stays}/guests", query: { email: "\${inputs.email}" }, using: stays-key }
  - { step: coded, set: { form: "\${base64.encode(inputs.email)}" } }
  - { step: long, set: { text: "\${inputs.email} ${"x".repeat(70_000)}" } }
  - { step: bad, fail: "Nobody is called \${inputs.email}." }
`);
    await world.publish(`
copper-kettle: 1
name: napping
inputs: { type: object, properties: { email: { type: string } } }
steps:
  - { step: nap, wait: { for: 1h } }
`);
    ids = [];
    for (const key of ["one", "two"]) {
      const started = await world.client.call(routes.startRun, {
        params: { name: "person" },
        body: { inputs: { email } },
        headers: { "Idempotency-Key": `${email} ${key}` },
      });
      ids.push(started.id);
      expect((await world.settled(started.id)).state).toBe("failed");
    }
    await world.publish(`
copper-kettle: 1
name: told
triggers: { desk: { webhook: { path: desk, verify: none } } }
steps: [{ step: a, note: "\${trigger.body.email}" }]
`);
    const { address } = await world.client.call(routes.replaceAddress, {
      params: { name: "told", trigger: "desk" },
      body: {},
    });
    const told = await fetch(address, {
      method: "POST",
      headers: { "Content-Type": "application/json" },
      body: JSON.stringify({ email, password: `pw of ${email}` }),
    });
    const { run } = (await told.json()) as { run: string };
    ids.push(run);
    await world.settled(run);
    asleep = (await world.run("napping", { email })).id;
    await world.settled(asleep, ["waiting"]);
    await world.client.call(routes.tryOperation, {
      body: {
        url: `${world.stays.url}/guests?email=${encodeURIComponent(email)}`,
        using: "stays-key",
      },
    });
  });
  afterAll(() => world.close());

  const erase = (...more: string[]) => world.ckettle(["erase", "--value", email, "--json", ...more]);
  const shown = async (): Promise<string> => {
    const texts: string[] = [];
    for (const path of [
      "/api/runs?limit=50",
      "/api/tries?limit=50",
      "/api/workflows/told/events",
      ...ids.flatMap((id) => ["", "/journal?limit=1000", "/scope"].map((part) => `/api/runs/${id}${part}`)),
    ]) {
      const response = await fetch(world.url + path, { headers: { Authorization: `Bearer ${world.token}` } });
      expect([path, response.status]).toEqual([path, 200]);
      texts.push(await response.text());
    }
    return texts.join("\n");
  };

  it("is only looked for with --dry-run", async () => {
    const before = await shown();
    const said = JSON.parse((await erase("--dry-run")).out) as Record<string, unknown>;
    expect(said).toMatchObject({
      runs: [...ids].sort(),
      refused: [asleep],
      tries: 1,
      events: 2,
      entries: expect.any(Number),
    });
    expect(said["entries"]).toBeGreaterThan(2);
    expect(await shown()).toBe(before);
    for (const form of forms) expect(before).toContain(form);
  });

  it("is gone from what has ended; what is under way is left, and named", async () => {
    const report = join(world.folder, "report.json");
    const said = await erase("--report", report);
    expect(said).toMatchObject({ code: 0, err: expect.stringContaining("1 run under way") as string });
    expect(JSON.parse(said.out)).toMatchObject({ runs: [...ids].sort(), refused: [asleep], tries: 1 });
    expect(JSON.parse(await readFile(report, "utf8"))).toEqual(JSON.parse(said.out));
    expect(await readFile(report, "utf8")).not.toContain(email);
    const after = await shown();
    for (const form of forms) expect(after).not.toContain(form);
    expect(after).toContain("Nobody is called [erased].");
    const { message } = await world.client.call(routes.run, { params: { id: asleep } });
    expect(message ?? "").not.toContain("[erased]");
  });

  it("is in no byte of the data folder, once the run under way has ended", async () => {
    await world.client.call(routes.stopRun, { params: { id: asleep }, body: {} });
    await world.settled(asleep, ["stopped"]);
    expect(JSON.parse((await erase()).out)).toMatchObject({ runs: [asleep], refused: [] });
    expect(JSON.parse((await erase()).out)).toMatchObject({ runs: [], entries: 0, tries: 0, activity: 0 });
    // The bodies were written a moment ago: those go a minute later, so that no row on its way loses one.
    const large = (name: string): boolean => /blobs/.test(name);
    await world.end("SIGKILL");
    const found: string[] = [];
    for (const file of await readdir(world.folder, { recursive: true })) {
      if (large(file)) continue;
      const bytes =
        (await readFile(join(world.folder, file)).catch(() => undefined))?.toString("latin1") ?? "";
      for (const form of forms) if (bytes.includes(form)) found.push(`${form} in ${file}`);
    }
    expect(found).toEqual([]);
    expect(world.log).not.toContain(email);
    await world.serve();
    // What is left of the runs can still be read, and repeated.
    expect((await world.client.call(routes.run, { params: { id: ids[0] as string } })).state).toBe("failed");
  });

  it("may be a word of our own format: what runs did can still be read", async () => {
    await world.publish(
      "copper-kettle: 1\nname: caller\nsteps:\n  - { step: called, workflow: { name: person, inputs: { email: workflow@guests.example } }, keep-going: true }\n",
    );
    const { id } = await world.run("caller");
    await world.settled(id);
    const words = [
      "workflow",
      "response",
      "succeeded",
      "authorization",
      "constants",
      "problems",
      "bad-response",
    ];
    for (const value of words) {
      await world.client.call(routes.erase, { body: { value } });
      const { runs } = await world.client.call(routes.listRuns, { query: {} });
      expect(runs.length).toBeGreaterThan(3);
      for (const run of runs) {
        const shown = await world.client.call(routes.run, { params: { id: run.id } });
        expect([value, shown.state]).toEqual([value, run.state]);
        const types = (await world.entries(run.id)).map(({ type }) => type);
        expect([value, types[0], types.at(-1)]).toEqual([value, "started", "finished"]);
        await world.client.call(routes.runScope, { params: { id: run.id } });
        const { tries } = await world.client.call(routes.listTries, { query: {} });
        for (const one of tries) await world.client.call(routes.try, { params: { id: one.id } });
      }
    }
    expect((await world.client.call(routes.run, { params: { id } })).trigger.kind).toBe("by-hand");
    const attempts = (await world.entries(ids[0] as string)).filter(({ type }) => type === "attempt");
    expect(attempts[0]).toHaveProperty("response.status", 200);
  });

  it("must be long enough to be found on purpose, and is the owner's to erase", async () => {
    expect(await world.ckettle(["erase", "--value", "short"])).toMatchObject({
      code: 2,
      err: expect.stringContaining("value") as string,
    });
    const { token } = await world.client.call(routes.createToken, { body: { name: "marit" } });
    const answer = await fetch(`${world.url}/api/erasures`, {
      method: "POST",
      headers: { Authorization: `Bearer ${token}`, "Content-Type": "application/json" },
      body: JSON.stringify({ value: email }),
    });
    expect(answer.status).toBe(403);
  });
});
