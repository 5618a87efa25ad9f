import { printJson, type Entry, type JournalRow, type Json } from "@copper-kettle/core";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { execute, selectOn } from "./database.js";
import type { RunJournal } from "./run-journal.js";
import { TestStore } from "./store.test.kit.js";

/** Work whose outcome depends on what it finds in its transaction. */
describe("a unit of work of a run", () => {
  let it_: TestStore;
  beforeEach(async () => {
    it_ = await TestStore.open();
    await execute(
      it_.store.connection,
      "CREATE TABLE beds (hut TEXT PRIMARY KEY, taken INTEGER CHECK (taken <= 3))",
    );
    await execute(it_.store.connection, "INSERT INTO beds VALUES ('corrie', 0)");
    await execute(it_.store.connection, "CREATE TABLE asked (run TEXT)");
  });
  afterEach(() => it_.close());

  const row = (at: number, outcome: Json): JournalRow => {
    const entry: Entry = { type: "ended", at, path: `s${at}`, kind: "note", outcome };
    return { entry, open: printJson(entry), sealed: undefined };
  };
  const sql = (text: string) => execute(it_.store.connection, text);
  const beds = async (): Promise<number> =>
    (await selectOn<{ taken: number }>(it_.store.connection, "SELECT taken FROM beds"))[0]?.taken ?? -1;
  /** Takes a bed, and says which it was. */
  const take = (journal: RunJournal, at: number, more: (outcome: Json) => Json = (outcome) => outcome) =>
    journal.act(
      async () => {
        await sql(`INSERT INTO asked VALUES ('${journal.run}')`);
        await sql("UPDATE beds SET taken = taken + 1");
        return beds();
      },
      (result) => [row(at, more(result.status === "fulfilled" ? result.value : "no bed"))],
    );
  const outcomes = async (run: string) =>
    (await it_.journals.load(run, "w")).entries.map((entry) => (entry as { outcome?: Json }).outcome);

  it("says in its entries what it found, and one that throws leaves nothing but what says so", async () => {
    const journals = await Promise.all(["a", "b", "c", "d", "e"].map((run) => it_.addRun(run)));
    const results = await Promise.allSettled(journals.map((journal) => take(journal, 1)));
    expect(results.map((one) => (one.status === "fulfilled" ? one.value : "none"))).toEqual([
      1,
      2,
      3,
      "none",
      "none",
    ]);
    expect(await Promise.all(["a", "b", "c", "d", "e"].map(outcomes))).toEqual([
      [1],
      [2],
      [3],
      ["no bed"],
      ["no bed"],
    ]);
    expect(await beds()).toBe(3);
    expect(await selectOn(it_.store.connection, "SELECT run FROM asked ORDER BY run")).toEqual([
      { run: "a" },
      { run: "b" },
      { run: "c" },
    ]);
    // It goes on behind what was refused.
    await journals[4]?.write([row(2, "went home")]);
    expect(await outcomes("e")).toEqual(["no bed", "went home"]);
  });

  it("stands in the order in which it was given, between rows long and short", async () => {
    const journal = await it_.addRun("a");
    const long = "x".repeat(100_000);
    await Promise.all([
      journal.write([row(0, long)]),
      take(journal, 1),
      journal.write([row(2, "short")]),
      journal.write([row(3, long)]),
      take(journal, 4, (outcome) => [outcome, long]),
      journal.write([row(5, "last")]),
    ]);
    expect(await outcomes("a")).toEqual([long, 1, "short", long, [2, long], "last"]);
    const { journal: again } = await it_.journals.load("a", "w");
    await Promise.all([take(again, 6), again.write([row(7, "behind")])]);
    expect((await outcomes("a")).slice(6)).toEqual([3, "behind"]);
  });

  it("is undone where its entries cannot be written, and nothing of its run comes behind it", async () => {
    const [journal, beside] = [await it_.addRun("a"), await it_.addRun("b")];
    await journal.write([row(0, "first")]);
    // Somebody else writes where this journal goes on.
    const { journal: other } = await it_.journals.load("a", "w");
    await other.write([row(1, "theirs")]);
    const results = await Promise.allSettled([
      take(journal, 1),
      take(beside, 1),
      journal.write([row(2, "behind")]),
      take(journal, 3),
    ]);
    expect(results.map(({ status }) => status)).toEqual(["rejected", "fulfilled", "rejected", "rejected"]);
    expect([await outcomes("a"), await outcomes("b"), await beds()]).toEqual([["first", "theirs"], [1], 1]);
  });

  it("wakes who waits for what it brings, unless it was undone", async () => {
    const journal = await it_.addRun("a");
    const woken: string[] = [];
    it_.writer.events.on("woken", (runs) => woken.push(...runs.map(({ id }) => id)));
    const sleeper = await it_.addRun("sleeper");
    const awaited = { kind: "lock", name: "bed" } as const;
    await sql("INSERT INTO locks (name, run, path, at) VALUES ('bed', 'a', 'p', 0)");
    const rested: Entry = {
      type: "rested",
      at: 0,
      state: "waiting",
      waits: [{ path: "s", ...awaited, reason: "Waits.", until: null }],
    } as never;
    await sleeper.write([{ entry: rested, open: printJson(rested as never), sealed: undefined }]);
    const bring = (fails: boolean) =>
      journal.act(
        async (_transaction, unit) => {
          unit.comes(awaited);
          if (fails) throw new Error("not yet");
        },
        () => [row(1, fails)],
      );
    await expect(bring(true)).rejects.toThrow("not yet");
    expect(woken).toEqual([]);
    await bring(false);
    expect(woken).toEqual(["sleeper"]);
  });
});
