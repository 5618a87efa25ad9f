import { SealBroken } from "./broken.js";
import { mkdtemp, readFile, rename, rm, stat, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { openDatabase, type Store } from "../store/database.js";
import { migrate } from "../store/migrations.js";
import { DataKeyRow, defineModels } from "../store/models.js";
import { Writer } from "../store/writer.js";
import { masterKey } from "./keys.js";
import { KeyNotOurs, Sealing } from "./sealing.js";

describe("the sealing key", () => {
  let folder: string;
  let file: string;
  let store: Store;
  let writer: Writer;
  beforeEach(async () => {
    folder = await mkdtemp(join(tmpdir(), "ckettle-sealing-"));
    file = join(folder, "sealing.key");
    store = await openDatabase(join(folder, "test.sqlite"));
    defineModels(store.sequelize);
    await migrate(store);
    writer = new Writer(store);
  });
  afterEach(async () => {
    await writer.close();
    await store.close();
    await rm(folder, { recursive: true });
  });
  const open = (key?: string) => Sealing.open(writer, file, key);

  it("is made at first, for its owner alone, and opens what was sealed before", async () => {
    const sealed = (await open()).sealer.seal("secret", "here");
    expect((await stat(file)).mode & 0o777).toBe(0o600);
    expect((await open()).sealer.open(sealed, "here")).toBe("secret");
  });

  it("is changed while it is used: old and new seals open, at once and after a restart", async () => {
    const sealing = await open();
    const before = sealing.sealer.seal("old", "here");
    expect(await sealing.rotate()).toBe(2);
    expect(await sealing.rotate()).toBe(3);
    const after = sealing.sealer.seal("new", "here");
    for (const { sealer } of [sealing, await open()]) {
      expect(sealer.open(before, "here")).toBe("old");
      expect(sealer.open(after, "here")).toBe("new");
    }
  });

  it("opens after a change that was cut off before its commit, and after its commit", async () => {
    const sealing = await open();
    const sealed = sealing.sealer.seal("secret", "here");
    // Before the commit: a new key lies beside that nothing is wrapped with.
    await writeFile(`${file}.next`, `${Buffer.alloc(32, 9).toString("base64")}\n`);
    expect((await open()).sealer.open(sealed, "here")).toBe("secret");
    // After the commit, before the renaming: the old file is still in place.
    const old = await readFile(file, "utf8");
    await sealing.rotate();
    await rename(file, `${file}.next`);
    await writeFile(file, old);
    expect((await open()).sealer.open(sealed, "here")).toBe("secret");
    expect(await readFile(file, "utf8")).not.toBe(old);
  });

  it("is refused when it is another one, has another length, or is not ours to change", async () => {
    await open();
    await writeFile(file, `${Buffer.alloc(32, 1).toString("base64")}\n`);
    await expect(open()).rejects.toBeInstanceOf(SealBroken);
    await writeFile(file, "c2hvcnQ=\n");
    await expect(masterKey(file, undefined)).rejects.toThrow("32 bytes");
    await expect(masterKey(file, "c2hvcnQ=")).rejects.toThrow("COPPER_KETTLE_KEY");
  });

  it("that comes from the environment is not changed from here", async () => {
    const sealing = await open(Buffer.alloc(32, 5).toString("base64"));
    await expect(sealing.rotate()).rejects.toBeInstanceOf(KeyNotOurs);
  });

  it("asked for twenty times at once it changes twenty times, one after the other, and all opens afterwards", async () => {
    const sealing = await open();
    const seals = [sealing.sealer.seal("first", "here")];
    const counts = await Promise.all(Array.from({ length: 20 }, () => sealing.rotate()));
    expect(counts).toEqual(Array.from({ length: 20 }, (_, index) => index + 2));
    seals.push(sealing.sealer.seal("last", "here"));
    for (const { sealer } of [sealing, await open()])
      expect(seals.map((seal) => sealer.open(seal, "here"))).toEqual(["first", "last"]);
  });

  it("survives a kill at every point of a change, also while others are asked for", async () => {
    const sealing = await open();
    const sealed = sealing.sealer.seal("secret", "here");
    await sealing.rotate();
    // The folder and the database as a kill would leave them, at each write of both.
    const states: { key: string; next: string | undefined; rows: { id: number; wrapped: Buffer }[] }[] = [];
    const look = async (): Promise<void> => {
      const [key, next] = await Promise.all(
        [file, `${file}.next`].map((path) => readFile(path, "utf8").catch(() => undefined)),
      );
      const rows = (await DataKeyRow.findAll({ order: [["id", "ASC"]] })).map(({ id, wrapped }) => ({
        id,
        wrapped,
      }));
      states.push({ key: key as string, next, rows });
    };
    const write = writer.write.bind(writer);
    writer.write = async (work) => {
      await look();
      const result = await write(work);
      await look();
      return result;
    };
    await Promise.all([sealing.rotate(), sealing.rotate(), look()]);
    await look();
    expect(new Set(states.map(({ rows }) => rows.length)).size).toBe(3);
    writer.write = write;
    for (const { key, next, rows } of states) {
      await writeFile(file, key);
      await rm(`${file}.next`, { force: true });
      if (next !== undefined) await writeFile(`${file}.next`, next);
      await writer.write(async (transaction) => {
        await DataKeyRow.destroy({ where: {}, transaction });
        await DataKeyRow.bulkCreate(
          rows.map((row) => ({ ...row, createdAt: 0 })),
          { transaction },
        );
      });
      const again = await open();
      expect(again.sealer.open(sealed, "here")).toBe("secret");
      await again.rotate();
      expect((await open()).sealer.open(sealed, "here")).toBe("secret");
    }
  });

  it("keeps the right one where a change was committed and said to have failed", async () => {
    const sealing = await open();
    const sealed = sealing.sealer.seal("secret", "here");
    const write = writer.write.bind(writer);
    writer.write = async (work) => {
      await write(work);
      throw new Error("SQLITE_IOERR");
    };
    await expect(sealing.rotate()).rejects.toThrow("SQLITE_IOERR");
    writer.write = write;
    // The next change would have written its key over the only one that opens what is there.
    await sealing.rotate();
    for (const { sealer } of [sealing, await open()]) expect(sealer.open(sealed, "here")).toBe("secret");
  });

  it("that is lost is missed, and none is made in its place", async () => {
    await open();
    await rm(file);
    await expect(open()).rejects.toThrow("is missing");
    await expect(readFile(file)).rejects.toThrow("ENOENT");
  });

  it("tells the same text by the same digest, over its changes, and seals bytes", async () => {
    const sealing = await open();
    const digest = sealing.sealer.digest("4711");
    await sealing.rotate();
    const again = (await open()).sealer;
    expect(again.digest("4711")).toBe(digest);
    expect(again.digest("4712")).not.toBe(digest);
    const bytes = Buffer.from([0, 255, 7]);
    expect(again.openBytes(again.seal(bytes, "f"), "f")).toEqual(bytes);
  });
});
