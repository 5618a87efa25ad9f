import { createClient, routes } from "@copper-kettle/contract";
import { spawn, type ChildProcess } from "node:child_process";
import { once } from "node:events";
import { mkdtemp, readFile, rm } from "node:fs/promises";
import { createServer } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { root, until } from "./kit.js";

describe("ckettle demo", () => {
  let folder: string;
  let demo: ChildProcess;
  let said = "";
  const start = async (env: Record<string, string> = {}, port = ["--port", "0"]): Promise<void> => {
    said = "";
    demo = spawn(process.execPath, [join(root, "cli/bin/ckettle.cjs"), "--data", folder, "demo", ...port], {
      env: { ...process.env, ...env },
      stdio: ["ignore", "pipe", "pipe"],
    });
    demo.stderr?.on("data", (piece: Buffer) => (said += piece.toString()));
    await until(() => said.includes("Stop everything with"), "the demo runs", 100_000);
  };
  const service = async () => {
    const { url, pid } = JSON.parse(await readFile(join(folder, "service.json"), "utf8")) as {
      url: string;
      pid: number;
    };
    const token = (await readFile(join(folder, "token"), "utf8")).trim();
    return { pid, client: createClient({ baseUrl: url, token }) };
  };
  beforeAll(async () => {
    folder = await mkdtemp(join(tmpdir(), "ckettle-demo-"));
    await start();
  });
  afterAll(async () => {
    demo.kill("SIGTERM");
    await once(demo, "exit");
    await rm(folder, { recursive: true, force: true });
  });

  it("prints the console's address with a link, and runs each example to its end", async () => {
    expect(said).toMatch(/http:\/\/127\.0\.0\.1:\d+\/sign-in#code=[\w-]+/);
    const { client } = await service();
    const plan = await readFile(join(root, "examples/demo.json"), "utf8");
    const { starts } = JSON.parse(plan) as { starts: object[] };
    let states: string[] = [];
    await until(
      async () => {
        // Those that schedules and deliveries start besides come and go.
        const { runs: all } = await client.call(routes.listRuns, { query: { limit: 200 } });
        const runs = all.filter(({ trigger }) => trigger.kind === "by-hand");
        states = runs.map(({ workflow, state, waits }) => `${workflow} ${waits[0]?.name ?? state}`).sort();
        return (
          states.every((one) => /( succeeded| boards-marit)$/.test(one)) && states.length === starts.length
        );
      },
      "all examples have succeeded, but for the one that waits for a person",
      100_000,
    ).catch((error: unknown) => {
      expect.fail(`${String(error)} They are: ${states.join(", ")}`);
    });
    const { credentials } = await client.call(routes.listCredentials);
    const usedBy = new Map(credentials.map((item) => [item.name, item.usedBy]));
    expect(usedBy.get("stays-key")).toEqual(["greet-guest", "hut-round", "stays-sync"]);
    expect(usedBy.get("tanks-signature")).toEqual(["tank-watch"]);
    for (const { hosts } of credentials) expect(hosts).toHaveLength(1);
  });

  it("brings the service back when it is killed, and its runs go on", async () => {
    const before = await service();
    const { id } = await before.client.call(routes.startRun, {
      params: { name: "hut-round" },
      body: { inputs: {} },
    });
    await until(
      async () => (await before.client.call(routes.journal, { params: { id } })).entries.length > 12,
      "some posts were made",
    );
    process.kill(before.pid, "SIGKILL");
    await until(
      async () => (await service()).pid !== before.pid && said.split("Stop everything with").length === 3,
      "the service is back",
    );
    const after = await service();
    await until(async () => {
      const run = await after.client.call(routes.run, { params: { id } });
      const [unsure] = run.unsure;
      // The board knows each clientRef, so sending again does no harm.
      if (run.state === "unsure" && unsure) {
        const { path, attempt } = unsure;
        await after.client.call(routes.decideRun, {
          params: { id },
          body: { decision: "again", path, attempt },
        });
      }
      return run.state === "succeeded";
    }, "the run has succeeded");
  });

  it("keeps the addresses of its stand-ins from one start to the next, and stops all that it started", async () => {
    const { client, pid } = await service();
    const before = await client.call(routes.constants);
    // What a person changed or removed stays so.
    await client.call(routes.putCredential, {
      params: { name: "boards-bot" },
      body: { kind: "bearer", token: "another-token-of-mine" },
    });
    await client.call(routes.removeCredential, { params: { name: "notices-key" } });
    await client.call(routes.putConstant, { params: { name: "trails" }, body: { value: "mine" } });
    const changed = (await client.call(routes.credential, { params: { name: "boards-bot" } })).changedAt;
    demo.kill("SIGTERM");
    expect((await once(demo, "exit"))[0]).toBe(0);
    expect(() => process.kill(pid, 0)).toThrow();
    await expect(fetch(String(before.constants["stays"]))).rejects.toThrow();
    await start();
    const again = (await service()).client;
    const { constants } = await again.call(routes.constants);
    expect(constants).toEqual({ ...before.constants, trails: "mine" });
    const { credentials } = await again.call(routes.listCredentials);
    expect(credentials.find(({ name }) => name === "boards-bot")).toMatchObject({
      changedAt: changed,
      hosts: [],
    });
    expect(credentials.map(({ name }) => name)).not.toContain("notices-key");
  });

  it("listens on another port where its own is taken, and says so", async () => {
    const { client } = await service();
    const taken = JSON.parse(await readFile(join(folder, "service.json"), "utf8")) as { url: string };
    const port = new URL(taken.url).port;
    demo.kill("SIGTERM");
    await once(demo, "exit");
    const holder = createServer().listen(Number(port), "127.0.0.1");
    await once(holder, "listening");
    await start({ COPPER_KETTLE_PORT: port }, []);
    holder.close();
    expect(said).toContain(`Port ${port} is taken: this demo listens on `);
    expect((await service()).client).not.toBe(client);
  });
});
