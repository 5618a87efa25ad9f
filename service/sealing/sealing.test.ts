import { mkdtemp, readFile, rename, rm, stat, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { openDatabase, type Store } from "../store/database.js";
import { migrate } from "../store/migrations.js";
import { defineModels } from "../store/models.js";
import { Writer } from "../store/writer.js";
import { masterKey, SealBroken } from "./keys.js";
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
});
