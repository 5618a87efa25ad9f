import { mkdtemp, rm } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { execute, openDatabase, select, type Store } from "./database.js";
import type { KeyedStatement } from "./statements.js";
import { Writer } from "./writer.js";

/** The hot path of the store: what is given together becomes durable together, with as few statements as can be. */
describe("the writer", () => {
  let folder: string;
  let store: Store;
  let writer: Writer;
  beforeEach(async () => {
    folder = await mkdtemp(join(tmpdir(), "ckettle-writer-"));
    store = await openDatabase(join(folder, "test.sqlite"));
    for (const statement of [
      "CREATE TABLE huts (id TEXT PRIMARY KEY, beds INTEGER NOT NULL, warden TEXT)",
      "CREATE TABLE held (name TEXT PRIMARY KEY, run TEXT)",
      "CREATE TABLE journal (run TEXT, seq INTEGER, count INTEGER, at INTEGER, entries TEXT, sealed BLOB, entries_blob TEXT, sealed_blob TEXT, PRIMARY KEY (run, seq))",
    ])
      await execute(store.connection, statement);
    writer = new Writer(store);
  });
  afterEach(async () => {
    await writer.close();
    await store.close();
    await rm(folder, { recursive: true });
  });

  const made = (id: string, beds: number | null): KeyedStatement => ({
    key: `new ${id}`,
    into: "huts (id, beds)",
    values: [id, beds],
  });
  const changed = (id: string, beds: number, warden: string | null = null): KeyedStatement => ({
    key: `hut ${id}`,
    change: "huts (beds, warden, id)",
    values: [beds, warden, id],
  });
  const commit = (...statements: KeyedStatement[]): Promise<void> =>
    writer.commit({ records: [], statements });
  const huts = () =>
    select<{ id: string; beds: number; warden: string | null }>(store, "SELECT * FROM huts ORDER BY id");
  const name = (index: number): string => `hut-${String(index).padStart(4, "0")}`;

  it.each([1, 2, 63, 64, 65, 200])("makes %i rows and changes each in the same commit", async (count) => {
    await Promise.all(
      Array.from({ length: count }, (_, index) =>
        commit(made(name(index), index), changed(name(index), index + 1_000, `warden ${index}`)),
      ),
    );
    expect(await huts()).toEqual(
      Array.from({ length: count }, (_, index) => ({
        id: name(index),
        beds: index + 1_000,
        warden: `warden ${index}`,
      })),
    );
  });

  it("changes each row to its own values, and no other row", async () => {
    await commit(...Array.from({ length: 5 }, (_, index) => made(name(index), index)));
    await Promise.all([
      commit(changed(name(1), 11, "marit")),
      commit(changed(name(3), 33)),
      commit(changed("none", 9)),
    ]);
    expect((await huts()).map(({ beds, warden }) => [beds, warden])).toEqual([
      [0, null],
      [11, "marit"],
      [2, null],
      [33, null],
      [4, null],
    ]);
  });

  it("of several changes with one key only the last counts", async () => {
    await commit(made("corrie", 4));
    await Promise.all([5, 6, 7].map((beds) => commit(changed("corrie", beds))));
    expect(await huts()).toMatchObject([{ id: "corrie", beds: 7 }]);
  });

  it("one row that is not good fails alone: those beside it in its statement are kept", async () => {
    const results = await Promise.allSettled([
      commit(made("ashlar", 2)),
      commit(made("corrie", null)), // beds must not be null
      commit(made("dunmoor", 3)),
      commit(made("ashlar", 9)), // is there already
    ]);
    expect(results.map(({ status }) => status)).toEqual(["fulfilled", "rejected", "fulfilled", "rejected"]);
    expect((await huts()).map(({ id }) => id)).toEqual(["ashlar", "dunmoor"]);
  });

  it("a batch is kept whole or not at all, with its row of the journal", async () => {
    const record = (seq: number) => ({
      run: "r1",
      seq,
      count: 1,
      at: 0,
      entries: "[{}]",
      sealed: null,
      entriesBlob: null,
      sealedBlob: null,
    });
    await writer.commit({ records: [record(0)], statements: [made("ashlar", 1)] });
    await expect(
      writer.commit({
        records: [record(1)],
        statements: [made("corrie", 1), changed("ashlar", null as never)],
      }),
    ).rejects.toThrow(/NOT NULL/);
    expect(await huts()).toMatchObject([{ id: "ashlar", beds: 1 }]);
    expect(await select(store, "SELECT seq FROM journal")).toEqual([{ seq: 0 }]);
    await writer.commit({ records: [record(1)], statements: [made("corrie", 1)] });
    expect(await select(store, "SELECT seq, count FROM journal ORDER BY seq")).toEqual([
      { seq: 0, count: 1 },
      { seq: 1, count: 1 },
    ]);
  });

  it("takes nothing more once it is closed, and has kept all that it took", async () => {
    const kept = Promise.all(Array.from({ length: 100 }, (_, index) => commit(made(name(index), index))));
    await writer.close();
    await kept;
    expect(await huts()).toHaveLength(100);
    await expect(writer.commit({ records: [], statements: [made("late", 1)] })).rejects.toThrow(/closed/);
  });
});
