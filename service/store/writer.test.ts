import { mkdtemp, rm } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { execute, openDatabase, select, selectOn, type Store } from "./database.js";
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

  describe("units of work", () => {
    const insert = (id: string, beds: number | null) => () =>
      execute(store.connection, "INSERT INTO huts (id, beds) VALUES (?, ?)", [id, beds]);
    /** How many transactions were committed that changed something. */
    const commits = async (work: () => Promise<unknown>): Promise<number> => {
      let count = 0;
      // Traces come some time later, in their order: the last one is of a statement of ours.
      const traced = new Promise<void>((resolve) => {
        store.connection.on("trace", (sql: string) => {
          if (sql === "COMMIT") count++;
          if (sql === "SELECT 'end'") resolve();
        });
      });
      await work();
      await execute(store.connection, "SELECT 'end'");
      await traced;
      store.connection.removeAllListeners("trace");
      return count;
    };

    it("share a commit with rows and with each other, and each sees what those before it did", async () => {
      const seen: number[] = [];
      const count = await commits(() =>
        Promise.all([
          commit(made("ashlar", 1)),
          ...Array.from({ length: 20 }, (_, index) =>
            writer.write(async () => {
              const [row] = await selectOn<{ count: number }>(
                store.connection,
                "SELECT count(*) AS count FROM huts",
              );
              seen.push(row?.count ?? -1);
              await insert(name(index), index)();
            }),
          ),
        ]),
      );
      expect(seen).toEqual(Array.from({ length: 20 }, (_, index) => index + 1));
      expect(count).toBe(1);
      expect(await huts()).toHaveLength(21);
    });

    it("that refuse leave nothing behind, and those beside them are as they were", async () => {
      const woken: unknown[] = [];
      writer.events.on("woken", (runs) => woken.push(runs));
      const after: string[] = [];
      const results = await Promise.allSettled([
        commit(made("ashlar", 1)),
        writer.write(async (_transaction, unit) => {
          unit.after(() => after.push("first"));
          await insert("corrie", 2)();
        }),
        writer.write(async (_transaction, unit) => {
          unit.after(() => after.push("second"));
          await insert("dunmoor", 3)();
          throw new Error("refused");
        }),
        writer.write(insert("ashlar", 4)),
        writer.write(insert("langmere", 5)),
      ]);
      expect(results.map(({ status }) => status)).toEqual([
        "fulfilled",
        "fulfilled",
        "rejected",
        "rejected",
        "fulfilled",
      ]);
      expect((await huts()).map(({ id }) => id)).toEqual(["ashlar", "corrie", "langmere"]);
      expect([after, woken]).toEqual([["first"], []]);
    });

    it("are done though a row beside them is not good", async () => {
      const results = await Promise.allSettled([
        commit(made("ashlar", null)),
        commit(made("corrie", 2)),
        writer.write(insert("dunmoor", 3)),
      ]);
      expect(results.map(({ status }) => status)).toEqual(["rejected", "fulfilled", "fulfilled"]);
      expect((await huts()).map(({ id }) => id)).toEqual(["corrie", "dunmoor"]);
    });

    it("say why if their transaction is lost; rows beside them are tried by themselves", async () => {
      const lost = Object.assign(new Error("disk is full"), { code: "SQLITE_FULL" });
      const results = await Promise.allSettled([
        commit(made("ashlar", 1)),
        writer.write(insert("corrie", 2)),
        writer.write(async () => {
          await insert("dunmoor", 3)();
          // SQLite itself takes back the whole transaction when the disk is full.
          await execute(store.connection, "ROLLBACK");
          throw lost;
        }),
      ]);
      expect(results.map((one) => (one.status === "rejected" ? (one.reason as unknown) : "kept"))).toEqual([
        "kept",
        lost,
        lost,
      ]);
      expect((await huts()).map(({ id }) => id)).toEqual(["ashlar"]);
      await writer.write(insert("corrie", 2));
      expect(await huts()).toHaveLength(2);
    });
  });

  it("takes nothing more once it is closed, and has kept all that it took", async () => {
    const kept = Promise.all(Array.from({ length: 100 }, (_, index) => commit(made(name(index), index))));
    await writer.close();
    await kept;
    expect(await huts()).toHaveLength(100);
    await expect(writer.commit({ records: [], statements: [made("late", 1)] })).rejects.toThrow(/closed/);
  });
});
