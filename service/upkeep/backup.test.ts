import { createHash } from "node:crypto";
import { existsSync } from "node:fs";
import { mkdir, mkdtemp, readdir, readFile, rm, stat, symlink, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { OneAtATime } from "../one-at-a-time.js";
import { Sealing } from "../sealing/sealing.js";
import { execute, openDatabase, openReader, selectOn, type Store } from "../store/database.js";
import { migrate } from "../store/migrations.js";
import { DataKeyRow, defineModels } from "../store/models.js";
import { Writer } from "../store/writer.js";
import { backUp, type BackupParts } from "./backup.js";

describe("a backup", () => {
  let folder: string;
  let store: Store;
  let writer: Writer;
  let sealing: Sealing;
  let parts: BackupParts;
  beforeEach(async () => {
    folder = await mkdtemp(join(tmpdir(), "ckettle-backup-"));
    store = await openDatabase(join(folder, "copper-kettle.sqlite"));
    defineModels(store.sequelize);
    await migrate(store);
    writer = new Writer(store);
    const turns = new OneAtATime();
    sealing = await Sealing.open(writer, join(folder, "sealing.key"), undefined, turns);
    const root = join(folder, "backups");
    parts = { dataFolder: folder, writer, root, version: "1", turns, holding: (work) => work() };
  });
  afterEach(async () => {
    await writer.close();
    await store.close();
    await rm(folder, { recursive: true });
  });

  it("is written under its root, by a name or by a path", async () => {
    for (const name of ["nightly", join(parts.root, "deeper", "one"), undefined]) {
      const { folder: made } = await backUp(parts, { folder: name });
      expect(made.startsWith(parts.root)).toBe(true);
      expect((await readdir(made)).sort()).toEqual(["SHA256SUMS", "backup.json", "copper-kettle.sqlite"]);
    }
    await expect(backUp(parts, { folder: "nightly" })).rejects.toThrow("is not empty");
  });

  it.each([
    ["the folder that is served to everybody", () => "/srv/console/dist/x"],
    ["the data folder", () => folder],
    ["its root itself", () => join(folder, "backups")],
    ["what is above", () => "../x"],
    ["what is above, on a way around", () => "a/../../x"],
    ["a file system of the kernel's", () => "/proc/x"],
    ["a name that ends early", () => "a\u0000b"],
  ])("is written nowhere else: not into %s", async (_what, where) => {
    await expect(backUp(parts, { folder: where() })).rejects.toThrow(
      /Backups are written under|holds no NUL/,
    );
    expect(existsSync("/srv/console/dist/x")).toBe(false);
  });

  it("follows no link that leads out of its root", async () => {
    await mkdir(parts.root, { recursive: true });
    const outside = join(folder, "outside");
    await mkdir(outside);
    await symlink(outside, join(parts.root, "door"));
    for (const name of ["door", "door/x"])
      await expect(backUp(parts, { folder: name })).rejects.toThrow("is a link");
    expect(await readdir(outside)).toEqual([]);
  });

  it("has the key that opens its database, however often the key changes meanwhile", async () => {
    const sealed = sealing.sealer.seal("secret", "here");
    const made = await Promise.all(
      Array.from({ length: 6 }, async (_, index) => {
        const done = backUp(parts, { folder: `b${index}`, withKey: true });
        await sealing.rotate();
        return (await done).folder;
      }),
    );
    for (const one of made) {
      const copy = await openDatabase(join(one, "copper-kettle.sqlite"));
      defineModels(copy.sequelize);
      const copied = new Writer(copy);
      const opened = await Sealing.open(copied, join(one, "sealing.key"), undefined);
      expect(opened.sealer.open(sealed, "here")).toBe("secret");
      expect(await DataKeyRow.count()).toBeGreaterThan(0);
      await copied.close();
      await copy.close();
      defineModels(store.sequelize);
    }
  });

  it("is none if a body that its database names is gone", async () => {
    const digest = "ab".repeat(32);
    await execute(
      store.connection,
      "INSERT INTO journal (run, seq, count, at, entries_blob) VALUES ('r', 0, 1, 0, ?)",
      [digest],
    );
    await expect(backUp(parts, { folder: "lost" })).rejects.toThrow(`lost the body ${digest}`);
    expect(existsSync(join(parts.root, "lost"))).toBe(false);
    await mkdir(join(folder, "blobs", "ab"), { recursive: true });
    await writeFile(join(folder, "blobs", "ab", digest), "x");
    const { folder: made } = await backUp(parts, { folder: "whole" });
    expect(await readFile(join(made, "SHA256SUMS"), "utf8")).toContain(`  blobs/ab/${digest}\n`);
  });

  const keepBody = async (digest: string, text: string, seq: number): Promise<void> => {
    await execute(
      store.connection,
      "INSERT INTO journal (run, seq, count, at, entries_blob) VALUES ('r', ?, 1, 0, ?)",
      [seq, digest],
    );
    await mkdir(join(folder, "blobs", digest.slice(0, 2)), { recursive: true });
    await writeFile(join(folder, "blobs", digest.slice(0, 2), digest), text);
  };

  it("shares its bodies with the others: one is copied once, again if it was damaged, and goes with the last", async () => {
    const digest = createHash("sha256").update("body").digest("hex");
    await keepBody(digest, "body", 0);
    const shared = join(parts.root, ".bodies", digest.slice(0, 2), digest);
    const [one, two] = [await backUp(parts, { folder: "one" }), await backUp(parts, { folder: "two" })];
    const given = (folder: string): string => join(folder, "blobs", digest.slice(0, 2), digest);
    const { ino, nlink } = await stat(shared);
    expect(nlink).toBe(3);
    for (const { folder: made } of [one, two]) expect((await stat(given(made))).ino).toBe(ino);
    await writeFile(shared, "damaged");
    const three = await backUp(parts, { folder: "three" });
    expect(await readFile(given(three.folder), "utf8")).toBe("body");
    await execute(store.connection, "DELETE FROM journal");
    for (const { folder: made } of [one, two, three]) await rm(made, { recursive: true });
    await backUp(parts, { folder: "four" });
    expect(existsSync(shared)).toBe(false);
  });

  it("is of one moment, while many commits go between its steps, none of which waits for all of it", async () => {
    await execute(store.connection, "CREATE TABLE filler (a INTEGER PRIMARY KEY, b BLOB)");
    await execute(
      store.connection,
      "WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 5000) INSERT INTO filler SELECT i, randomblob(8000) FROM n",
    );
    await execute(store.connection, "CREATE TABLE pair (side INTEGER PRIMARY KEY, n INTEGER)");
    await execute(store.connection, "INSERT INTO pair VALUES (1, 0), (2, 0)");
    let going = true;
    let commits = 0;
    // Both sides change in one commit: a copy that is torn has two numbers.
    const writing = (async () => {
      while (going) {
        const n = ++commits;
        await writer.write(async () => {
          for (const side of [1, 2])
            await execute(store.connection, "UPDATE pair SET n = ? WHERE side = ?", [n, side]);
        });
      }
    })();
    const { folder: made } = await backUp(parts, { folder: "busy" });
    going = false;
    await writing;
    expect(commits).toBeGreaterThan(5);
    const copy = await openReader(join(made, "copper-kettle.sqlite"));
    const rows = await selectOn<{ n: number }>(copy, "SELECT n FROM pair ORDER BY side");
    expect(rows[0]?.n).toBe(rows[1]?.n);
    expect(rows[0]?.n).toBeGreaterThan(0);
    expect(await selectOn(copy, "SELECT count(*) AS count FROM filler")).toEqual([{ count: 5000 }]);
    expect(await selectOn(copy, "PRAGMA integrity_check")).toEqual([{ integrity_check: "ok" }]);
    await new Promise((resolve) => copy.close(resolve));
  });
});
