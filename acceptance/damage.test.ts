import { createClient, routes } from "@copper-kettle/contract";
import { spawn } from "node:child_process";
import { once } from "node:events";
import { existsSync } from "node:fs";
import { cp, mkdtemp, open, readdir, readFile, rm, stat, truncate, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import { promisify } from "node:util";
import sqlite3 from "sqlite3";
import { join } from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { ckettle, root, until, World } from "./kit.js";

describe("a data folder that was damaged", () => {
  let world: World;
  let copies: string[];
  beforeEach(async () => {
    copies = [];
    world = await World.start();
    await world.publish("copper-kettle: 1\nname: told\nsteps:\n  - { step: a, respond: { body: hello } }\n");
    await world.settled((await world.run("told")).id);
    await world.end("SIGTERM");
  });
  afterEach(async () => {
    await world.close();
    for (const copy of copies) await rm(copy, { recursive: true, force: true });
  });

  /** Starts the service on a copy of the folder that somebody harmed; it must not come up. */
  const refusal = async (
    harm: (folder: string) => Promise<unknown>,
  ): Promise<{ code: number | null; said: string }> => {
    const copy = join(await mkdtemp(join(tmpdir(), "ckettle-damage-")), "data");
    copies.push(copy);
    await cp(world.folder, copy, { recursive: true });
    await harm(copy);
    const env = { ...process.env, COPPER_KETTLE_DATA: copy, COPPER_KETTLE_PORT: "0" };
    const child = spawn(process.execPath, [join(root, "service/dist/main.js")], {
      env,
      stdio: ["ignore", "ignore", "pipe"],
    });
    let said = "";
    child.stderr.on("data", (piece: Buffer) => (said += piece.toString()));
    const timer = setTimeout(() => child.kill("SIGKILL"), 15_000);
    const [code] = (await once(child, "exit")) as [number | null];
    clearTimeout(timer);
    return { code, said };
  };

  it.each<[string, (folder: string) => Promise<unknown>, RegExp]>([
    [
      "its database is gone",
      (folder) => rm(join(folder, "copper-kettle.sqlite")),
      /is new or empty, and the rest of the data folder is not/,
    ],
    ["its database is empty", (folder) => truncate(join(folder, "copper-kettle.sqlite")), /is new or empty/],
    [
      "its database is not a database",
      (folder) => writeFile(join(folder, "copper-kettle.sqlite"), "hello ".repeat(2_000)),
      /not a database/i,
    ],
    ["its sealing key is gone", (folder) => rm(join(folder, "sealing.key")), /sealing\.key is missing/],
    [
      "its sealing key is another one",
      (folder) => writeFile(join(folder, "sealing.key"), Buffer.alloc(32, 3).toString("base64")),
      /the key is not the one that sealed it/,
    ],
    ["its sealing key is cut", (folder) => writeFile(join(folder, "sealing.key"), "c2hvcnQ="), /32 bytes/],
    [
      "a restore into it broke off",
      async (folder) => {
        await rm(join(folder, "copper-kettle.sqlite"));
        await writeFile(join(folder, "restored.json"), "{}");
      },
      /was interrupted/,
    ],
  ])("is not started, and nothing new is made in its place, where %s", async (_what, harm, sentence) => {
    const { code, said } = await refusal(harm);
    expect(said).toMatch(sentence);
    expect(code).toBe(2);
  });

  it("in one place of its database starts, and says so at Home and in the status", async () => {
    const file = join(world.folder, "copper-kettle.sqlite");
    const database = new sqlite3.Database(file);
    const read = promisify(database.get.bind(database)) as (sql: string) => Promise<Record<string, number>>;
    const { page_size: size = 0 } = await read("PRAGMA page_size");
    const { rootpage = 0 } = await read("SELECT rootpage FROM sqlite_master WHERE name = 'activity_by_time'");
    await promisify(database.close.bind(database))();
    // A page that nothing reads at the start.
    const handle = await open(file, "r+");
    await handle.write(Buffer.alloc(size, 0xff), 0, size, (rootpage - 1) * size);
    await handle.close();
    await world.serve();
    await until(
      async () => (await world.client.call(routes.status)).trouble !== null,
      "the damage was found",
    );
    expect((await world.client.call(routes.home)).trouble?.message).toMatch(/damaged/);
  });

  it("without the body of a run goes on with all others, and says which file is missing", async () => {
    await world.serve();
    await world.publish(
      `copper-kettle: 1\nname: large\nsteps:\n  - { step: a, note: "${"x".repeat(100_000)}" }\n  - { step: w, wait: { for: 40s } }\n  - { step: r, respond: { body: done } }\n`,
    );
    const { id } = await world.run("large");
    await world.settled(id, ["waiting"]);
    await world.end("SIGKILL");
    for (const file of await readdir(join(world.folder, "blobs"), { recursive: true })) {
      const path = join(world.folder, "blobs", file);
      if ((await stat(path)).isFile()) await writeFile(path, "other bytes");
    }
    await world.serve();
    expect((await world.settled((await world.run("told")).id)).state).toBe("succeeded");
    const journal = await fetch(`${world.url}/api/runs/${id}/journal`, {
      headers: { Authorization: `Bearer ${world.token}` },
    });
    expect([journal.status, await journal.text()]).toEqual([
      507,
      expect.stringContaining("does not hold what it was written with"),
    ]);
  });

  it("is there again after a restore that was cut off was begun anew", async () => {
    await world.serve();
    await world.ckettle(["backup", "nightly", "--with-key"]);
    await world.end("SIGTERM");
    const copy = join(await mkdtemp(join(tmpdir(), "ckettle-damage-")), "data");
    copies.push(copy);
    expect((await ckettle(["restore", join(world.folder, "backups/nightly"), "--data", copy], {})).code).toBe(
      0,
    );
    expect(existsSync(join(copy, "copper-kettle.sqlite.part"))).toBe(false);
    expect(JSON.parse(await readFile(join(copy, "restored.json"), "utf8"))).toHaveProperty("from");
  });
});

describe("access that was taken back", () => {
  it("stays so: links of a token that is gone, and the owner's token once its file is removed", async () => {
    const world = await World.start({
      demo: false,
      env: { COPPER_KETTLE_PUBLIC_URL: "https://huts.example/" },
    });
    try {
      const { token } = await world.client.call(routes.createToken, { body: { name: "odd" } });
      const link = await createClient({ baseUrl: world.url, token }).call(routes.signInLink);
      expect(link.url).toMatch(/^https:\/\/huts\.example\/sign-in#code=/);
      await world.client.call(routes.removeToken, { params: { name: "odd" } });
      const opened = await fetch(`${world.url}/api/session`, {
        method: "POST",
        headers: { "Content-Type": "application/json", Origin: "https://huts.example" },
        body: JSON.stringify({ code: new URL(link.url).hash.replace("#code=", "") }),
      });
      expect(opened.status).toBe(401);
      const before = world.token;
      await world.end("SIGTERM");
      await rm(join(world.folder, "token"));
      await world.serve();
      expect(world.token).not.toBe(before);
      await expect(
        createClient({ baseUrl: world.url, token: before }).call(routes.status),
      ).rejects.toMatchObject({ problem: { status: 401 } });
      expect((await world.client.call(routes.listTokens)).tokens.map(({ name }) => name)).toEqual(["owner"]);
    } finally {
      await world.close();
    }
  });
});

describe("whoever reads the log", () => {
  it("may go away: the work goes on", async () => {
    const folder = await mkdtemp(join(tmpdir(), "ckettle-log-"));
    const env = {
      ...process.env,
      COPPER_KETTLE_DATA: folder,
      COPPER_KETTLE_PORT: "0",
      COPPER_KETTLE_LOG: "trace",
    };
    const child = spawn(process.execPath, [join(root, "service/dist/main.js")], {
      env,
      stdio: ["ignore", "pipe", "pipe"],
    });
    try {
      await once(child.stderr, "data");
      child.stderr.destroy();
      child.stdout.destroy();
      const noted = async (): Promise<string> =>
        JSON.parse(await readFile(join(folder, "service.json"), "utf8").catch(() => "{}")).url;
      await until(async () => (await noted()) !== undefined, "it has said where it is");
      for (let count = 0; count < 50; count++) await fetch(`${await noted()}/api/status`);
      expect((await fetch(`${await noted()}/healthz`)).ok).toBe(true);
      expect(child.exitCode).toBeNull();
    } finally {
      const gone = once(child, "exit");
      child.kill("SIGTERM");
      await gone;
      await rm(folder, { recursive: true });
    }
  });
});
