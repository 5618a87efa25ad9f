import { existsSync } from "node:fs";
import { mkdir, mkdtemp, readdir, readFile, rm, symlink, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { OneAtATime } from "../one-at-a-time.js";
import { Sealing } from "../sealing/sealing.js";
import { execute, openDatabase, type Store } from "../store/database.js";
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
    parts = { dataFolder: folder, root, version: "1", turns, holding: (work) => work() };
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

  it("that cannot be finished leaves nothing that looks like one", async () => {
    const failing = { ...parts, dataFolder: join(folder, "not-there") };
    await expect(backUp(failing, { folder: "bad" })).rejects.toThrow("could not be written");
    expect(existsSync(join(parts.root, "bad"))).toBe(false);
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
});
