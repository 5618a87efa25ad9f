import { emptySummary, printJson, type Entry, type JournalRow } from "@copper-kettle/core";
import { mkdtemp, readdir, rm, stat } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { SealBroken } from "../sealing/broken.js";
import { Sealer } from "../sealing/keys.js";
import { Blobs } from "./blobs.js";
import { Checkpoints } from "./checkpoints.js";
import { execute, openDatabase, select, selectList, type Store } from "./database.js";
import { JournalStore } from "./journal.js";
import { RunJournal } from "./run-journal.js";
import { migrate, migrations } from "./migrations.js";
import { ConstantRow, defineModels } from "./models.js";
import { Writer } from "./writer.js";

describe("the store", () => {
  let folder: string;
  let store: Store;
  let writer: Writer;
  beforeEach(async () => {
    folder = await mkdtemp(join(tmpdir(), "ckettle-store-"));
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

  const sealer = (): Sealer => {
    const made = new Sealer(Buffer.alloc(32, 7));
    made.create(1);
    return made;
  };
  const row = (entry: Entry, secret = false): JournalRow => ({
    entry,
    open: printJson(secret ? { ...entry, at: 0 } : entry),
    sealed: secret ? printJson(entry) : undefined,
  });
  const note = (at: number, text = "x"): Entry => ({
    type: "ended",
    at,
    path: "a",
    kind: "note",
    outcome: text,
  });

  it("brings any older database up to date, migration by migration", async () => {
    expect(await migrate(store)).toEqual([]);
    for (let known = 0; known < migrations.length; known++) {
      const older = await openDatabase(join(folder, `older-${known}.sqlite`));
      await execute(
        older.connection,
        "CREATE TABLE migrations (name TEXT PRIMARY KEY, done_at INTEGER NOT NULL)",
      );
      for (const { name, statements, then } of migrations.slice(0, known)) {
        for (const statement of statements) await execute(older.connection, statement);
        await then?.(older);
        await execute(older.connection, "INSERT INTO migrations VALUES (?, 0)", [name]);
      }
      expect(await migrate(older)).toEqual(migrations.slice(known).map((migration) => migration.name));
      const tables = await select<{ name: string; sql: string }>(
        older,
        "SELECT name, sql FROM sqlite_master ORDER BY name",
      );
      expect(tables).toEqual(await select(store, "SELECT name, sql FROM sqlite_master ORDER BY name"));
      await older.close();
    }
  });

  it("is copied before an upgrade, and refused if a later version wrote it", async () => {
    const copy = join(folder, "before.sqlite");
    await execute(store.connection, "DELETE FROM migrations WHERE name = '0009-outbox'");
    await execute(store.connection, "DROP TABLE outbox");
    await execute(store.connection, "INSERT INTO constants VALUES ('a', '1', 0)");
    expect(await migrate(store, { copy })).toEqual(["0009-outbox"]);
    expect(await migrate(store, { copy })).toEqual([]);
    const before = await openDatabase(copy);
    expect(await select(before, "SELECT name FROM constants")).toEqual([{ name: "a" }]);
    expect(await select(before, "SELECT name FROM sqlite_master WHERE name = 'outbox'")).toEqual([]);
    await before.close();
    await execute(store.connection, "INSERT INTO migrations VALUES ('0999-later', 0)");
    await expect(migrate(store, { copy, wroteBy: "9.9.9" })).rejects.toThrow("Copper Kettle (9.9.9)");
  });

  it("opens every connection with its pragmas", async () => {
    expect(await select(store, "PRAGMA foreign_keys")).toEqual([{ foreign_keys: 1 }]);
    expect(await select(store, "PRAGMA journal_mode")).toEqual([{ journal_mode: "wal" }]);
    expect(await select(store, "PRAGMA synchronous")).toEqual([{ synchronous: 2 }]);
    expect(await select(store, "PRAGMA busy_timeout")).toEqual([{ timeout: 10_000 }]);
    expect(await select(store, "PRAGMA auto_vacuum")).toEqual([{ auto_vacuum: 2 }]);
    expect(await select(store, "PRAGMA page_size")).toEqual([{ page_size: 8_192 }]);
    for (const read of [select, selectList])
      expect(await read(store, "PRAGMA wal_autocheckpoint")).toEqual([{ wal_autocheckpoint: 0 }]);
    await expect(select(store, "DELETE FROM constants RETURNING name")).rejects.toThrow("readonly");
  });

  it("lets neither a commit nor a short read wait for slow reads, however many there are", async () => {
    const ended: string[] = [];
    const slow =
      "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 1000000) SELECT count(*) FROM n";
    const reads = Array.from({ length: 6 }, () => selectList(store, slow).then(() => ended.push("slow")));
    await writer.write((transaction) =>
      ConstantRow.create({ name: "a", value: "1", changedAt: 0 }, { transaction }),
    );
    ended.push("commit");
    expect(await select(store, "SELECT name FROM constants")).toEqual([{ name: "a" }]);
    ended.push("read");
    await Promise.all(reads);
    expect(ended.indexOf("commit")).toBeLessThan(2);
    expect(ended.indexOf("read")).toBeLessThan(3);
  });

  it("moves a long log into the database beside the writer", async () => {
    const checkpoints = await Checkpoints.open(store.file);
    expect(await checkpoints.look()).toBeUndefined();
    const text = "x".repeat(1_000_000);
    const grow = async (times: number): Promise<void> => {
      for (let count = 0; count < times; count++)
        await execute(store.connection, "INSERT INTO constants VALUES (?, ?, 0)", [`c${count}`, text]);
    };
    await grow(20);
    expect(await checkpoints.look()).toBe("PASSIVE");
    expect(await checkpoints.look()).toBeUndefined();
    const { size } = await stat(`${store.file}-wal`);
    await execute(store.connection, "DELETE FROM constants");
    await grow(10);
    // What was moved is written over: the log did not grow.
    expect((await stat(`${store.file}-wal`)).size).toBe(size);
    await execute(store.connection, "DELETE FROM constants");
    await grow(35);
    expect(await checkpoints.look()).toBe("RESTART");
    await execute(store.connection, "DELETE FROM constants");
    const { size: long } = await stat(`${store.file}-wal`);
    await grow(20);
    expect((await stat(`${store.file}-wal`)).size).toBe(long);
    await checkpoints.empty();
    expect((await stat(`${store.file}-wal`)).size).toBe(0);
    await checkpoints.close();
  });

  it("takes fifty transactions at once, one after the other, with models and journal rows between", async () => {
    const journals = new JournalStore(store, writer, new Blobs(join(folder, "blobs")), sealer());
    const journal = new RunJournal(journals, "r1", "w", 0, emptySummary());
    const writes = Array.from({ length: 50 }, (_, index) => [
      writer.write((transaction) =>
        ConstantRow.create({ name: `c${index}`, value: "1", changedAt: 0 }, { transaction }),
      ),
      journal.write([row(note(index))]),
    ]).flat();
    await Promise.all(writes);
    expect(await ConstantRow.count()).toBe(50);
    const { entries } = await journals.load("r1", "w");
    expect(entries.map((entry) => entry.at)).toEqual(Array.from({ length: 50 }, (_, index) => index));
  });

  it("fails only the write that is at fault, and keeps nothing of it", async () => {
    const good = writer.commit({
      records: [],
      statements: [{ key: "k1", sql: "INSERT INTO constants VALUES ('a', '1', 0)", values: [] }],
    });
    const bad = writer.commit({
      records: [],
      statements: [
        { key: "k2", sql: "INSERT INTO constants VALUES ('b', '1', 0)", values: [] },
        { key: "n", sql: "INSERT INTO nowhere VALUES (1)", values: [] },
      ],
    });
    const alsoGood = writer.commit({
      records: [],
      statements: [{ key: "k3", sql: "INSERT INTO constants VALUES ('c', '1', 0)", values: [] }],
    });
    await expect(bad).rejects.toThrow("nowhere");
    await Promise.all([good, alsoGood]);
    await expect(writer.write(async () => Promise.reject(new Error("no")))).rejects.toThrow("no");
    expect((await ConstantRow.findAll({ order: ["name"] })).map((found) => found.name)).toEqual(["a", "c"]);
  });

  it("keeps the order of a run's entries, large ones beside the database, secrets sealed and bound to their place", async () => {
    const journals = new JournalStore(store, writer, new Blobs(join(folder, "blobs")), sealer());
    const journal = new RunJournal(journals, "r1", "w", 0, emptySummary());
    const large = "y".repeat(100_000);
    await Promise.all([
      journal.write([row(note(1))]),
      journal.write([row(note(2, large), true)]),
      journal.write([row(note(3)), row(note(4), true)]),
    ]);
    const { entries, journal: again } = await journals.load("r1", "w");
    expect(entries.map((entry) => entry.at)).toEqual([1, 2, 3, 4]);
    expect(again.next).toBe(4);
    const open = await journals.open("r1", -1, 10);
    expect(open.entries.map(({ seq, entry }) => [seq, entry["at"]])).toEqual([
      [0, 1],
      [1, 0],
      [2, 3],
      [3, 0],
    ]);
    expect((await journals.open("r1", 1, 1)).entries.map(({ seq }) => seq)).toEqual([2]);
    expect(
      (await readdir(join(folder, "blobs"), { recursive: true })).filter((name) => name.length > 60),
    ).toHaveLength(2);
    await execute(store.connection, "UPDATE journal SET run = 'r2' WHERE seq = 2");
    await expect(journals.load("r2", "w")).rejects.toBeInstanceOf(SealBroken);
  });

  it("refuses a second entry with the same number", async () => {
    const journals = new JournalStore(store, writer, new Blobs(join(folder, "blobs")), sealer());
    await new RunJournal(journals, "r1", "w", 0, emptySummary()).write([row(note(1))]);
    await expect(
      new RunJournal(journals, "r1", "w", 0, emptySummary()).write([row(note(2))]),
    ).rejects.toThrow("UNIQUE");
  });

  it("opens a seal only with its key and its place", () => {
    const one = sealer();
    const sealed = one.seal("secret", "run:1");
    expect(one.open(sealed, "run:1")).toBe("secret");
    expect(() => one.open(sealed, "run:2")).toThrow(SealBroken);
    sealed[sealed.length - 1] = (sealed[sealed.length - 1] as number) ^ 1;
    expect(() => one.open(sealed, "run:1")).toThrow(SealBroken);
    const wrapped = new Sealer(Buffer.alloc(32, 1)).create(1);
    expect(() => new Sealer(Buffer.alloc(32, 2)).load(1, wrapped)).toThrow(SealBroken);
  });
});
