import { routes } from "@copper-kettle/contract";
import { execFileSync } from "node:child_process";
import { mkdtempSync, statSync, writeFileSync } from "node:fs";
import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { arrived, faults, reset, settings, until, World } from "./kit.js";

const pair = (name: string, between = ""): string => `copper-kettle: 1
name: ${name}
steps:
  - { step: look, request: "GET \${constants.stays}/guests", using: stays-key }
${between}  - { step: made, request: "POST \${constants.stays}/guests", using: stays-key, body: { json: { email: marit@alpha.example } } }
  - { step: reply, respond: { body: "\${steps.made.body.id}" } }
`;

/** A module that sets the process's clock back by an hour, each time it gets SIGUSR2. */
const clockModule = `
let back = 0;
const { now } = Date;
Date.now = () => now() - back;
globalThis.Date = new Proxy(Date, { construct: (target, args) => args.length ? new target(...args) : new target(now() - back) });
process.on("SIGUSR2", () => (back += 3_600_000));
`;

describe("what goes wrong around runs", () => {
  let world: World;
  let large: Server;
  beforeAll(async () => {
    const folder = mkdtempSync(join(tmpdir(), "copper-kettle-clock-"));
    writeFileSync(join(folder, "clock.mjs"), clockModule);
    world = await World.start({
      env: {
        NODE_OPTIONS: `--import ${join(folder, "clock.mjs")}`,
        COPPER_KETTLE_ALLOW_ADDRESSES: "127.0.0.1",
      },
    });
    large = createServer((_request, response) => {
      response.setHeader("Content-Type", "application/json");
      const line = JSON.stringify({ hut: "corrie", text: "x".repeat(970) });
      response.end(`{"total":50000,"items":[${Array.from({ length: 50_000 }, () => line).join(",")}]}`);
    });
    await new Promise<void>((resolve) => large.listen(0, "127.0.0.1", resolve));
  });
  beforeEach(() => reset(world.stays, world.boards));
  afterAll(async () => {
    large.close();
    await world.close();
  });

  it("a response of 50 MB is read, kept beside the database, and may be looked at", async () => {
    const { port } = large.address() as AddressInfo;
    await world.publish(`copper-kettle: 1
name: large
steps:
  - { step: all, request: "GET http://127.0.0.1:${port}/all" }
  - { step: reply, respond: { body: { total: "\${steps.all.body.total}", read: "\${size(steps.all.body.items)}" } } }
`);
    const run = await world.settled((await world.run("large")).id);
    expect(run.response?.body).toEqual({ total: 50_000, read: 50_000 });
    expect(statSync(join(world.folder, "copper-kettle.sqlite")).size).toBeLessThan(5_000_000);
    const entries = await world.entries(run.id);
    expect(entries.at(-1)).toMatchObject({ type: "finished", state: "succeeded" });
  });

  it("a run whose credential was removed fails, and says which", async () => {
    await world.publish(pair("orphan", "  - { step: nap, wait: { for: 2s } }\n"));
    const { id } = await world.run("orphan");
    await until(async () => (await arrived(world.stays, "GET")).length === 1, "it has looked");
    await world.client.call(routes.removeCredential, { params: { name: "stays-key" } });
    const run = await world.settled(id);
    expect(run).toMatchObject({ state: "failed", error: { code: "credential", step: "made" } });
    expect(run.error?.message).toContain('"stays-key"');
    expect(await arrived(world.stays, "POST")).toHaveLength(0);
    await world.loadDemo();
  });

  it("a workflow that is removed while a run of it goes on: the run ends as it would have", async () => {
    await world.publish(pair("gone", "  - { step: nap, wait: { for: 2s } }\n"));
    const { id } = await world.run("gone");
    await until(async () => (await arrived(world.stays, "GET")).length === 1, "it has looked");
    await world.client.call(routes.removeWorkflow, { params: { name: "gone" } });
    await world.killAndServe();
    expect((await world.settled(id)).response?.body).toBe("g-3");
    expect(await arrived(world.stays, "POST")).toHaveLength(1);
  });

  it("a disk that is full: runs wait, Home says so, and they go on when there is room; nothing is torn", async () => {
    const room = (bytes: string): void =>
      void execFileSync("prlimit", ["--pid", String(world.pid), `--fsize=${bytes}:unlimited`]);
    await world.publish(pair("full"));
    await faults(world.stays, [{ method: "GET", times: 1, latency: 4_000 }]);
    const { id } = await world.run("full");
    await until(async () => (await arrived(world.stays, "GET")).length === 1, "it is looking");
    room("1024"); // no file may grow beyond this: every write to the database fails
    const home = () => world.client.call(routes.home);
    await until(async () => (await home()).trouble !== null, "Home says so");
    expect((await home()).trouble?.message).toMatch(/disk/i);
    expect((await world.ckettle(["status"])).out).toMatch(/Runs cannot continue at the moment: .*disk/i);
    const refused = await world.run("full").then(
      () => undefined,
      (error: { problem?: { status: number; detail?: string } }) => error.problem,
    );
    expect(refused).toMatchObject({ status: 507, detail: expect.stringContaining("its free space") });
    expect(await arrived(world.stays, "POST")).toHaveLength(0);
    room("unlimited");
    expect((await world.settled(id)).response?.body).toBe("g-3");
    expect((await home()).trouble).toBeNull();
    expect(await arrived(world.stays, "POST")).toHaveLength(1);
    await world.killAndServe();
    expect((await world.settled(id)).state).toBe("succeeded");
    const { runs } = await world.client.call(routes.listRuns, { query: { workflow: "full" } });
    expect(runs.map((run) => run.id)).toEqual([id]);
  });

  it("a clock that is set back by an hour: what is under way goes on in its time, and nothing twice", async () => {
    await settings(world.boards, { perSecond: 3 });
    await world.publishExample("hut-round");
    const before = Date.now();
    const { id } = await world.run("hut-round", { message: "hello" });
    await until(async () => (await arrived(world.boards)).length >= 4, "it is on its round");
    process.kill(world.pid, "SIGUSR2");
    const run = await world.settled(id);
    expect(run.state).toBe("succeeded");
    expect(Date.now() - before).toBeLessThan(25_000);
    const taken = (await arrived(world.boards)).filter(({ status }) => status === 201);
    expect(new Set(taken.map(({ path }) => path)).size).toBe(12);
    expect(taken).toHaveLength(12);
    // A start after that is the newest in the list, also behind a restart.
    await world.killAndServe();
    process.kill(world.pid, "SIGUSR2");
    const later = await world.run("hut-round", { message: "again" });
    const { runs } = await world.client.call(routes.listRuns, { query: { workflow: "hut-round" } });
    expect(runs.map((one) => one.id)).toEqual([later.id, id]);
    expect((await world.settled(later.id)).state).toBe("succeeded");
  });
});
