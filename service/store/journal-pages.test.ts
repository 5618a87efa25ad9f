import { printJson, type Entry } from "@copper-kettle/core";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { execute } from "./database.js";
import { TestStore } from "./store.test.kit.js";

describe("the pages of a journal", () => {
  let it_: TestStore;
  beforeEach(async () => void (it_ = await TestStore.open()));
  afterEach(() => it_.close());

  it("hold each entry once, from wherever and however many, whatever rows they stand in", async () => {
    await it_.addRun("r1");
    let seq = 0;
    for (const count of [1, 3, 1, 7, 2, 6]) {
      const entries = Array.from(
        { length: count },
        (_, index) => ({ type: "begun", at: seq + index, path: "a", kind: "note", data: {} }) as Entry,
      );
      await execute(
        it_.store.connection,
        "INSERT INTO journal (run, at, seq, count, entries) VALUES ('r1', 0, ?, ?, ?)",
        [seq, count, printJson(entries)],
      );
      seq += count;
    }
    for (let after = -1; after <= seq; after++)
      for (const limit of [1, 2, 5, 19, 20, 21, 100]) {
        const page = await it_.journals.open("r1", after, limit);
        const wanted = Array.from({ length: seq }, (_, index) => index).filter((one) => one > after);
        expect([after, limit, page.entries.map((one) => one.seq)]).toEqual([
          after,
          limit,
          wanted.slice(0, limit),
        ]);
        expect(page.entries.every(({ seq: number, entry }) => entry["at"] === number)).toBe(true);
        expect(page.more).toBe(wanted.length > limit);
      }
  });

  it("read no more rows than they show", async () => {
    await it_.addRun("r1");
    for (let seq = 0; seq < 50; seq++)
      await execute(
        it_.store.connection,
        "INSERT INTO journal (run, at, seq, count, entries) VALUES ('r1', 0, ?, 1, ?)",
        [
          seq,
          // What is not shown cannot even be read.
          seq >= 10 && seq <= 15 ? printJson([{ type: "finished", at: seq }]) : "not JSON",
        ],
      );
    const page = await it_.journals.open("r1", 9, 5);
    expect(page.entries.map(({ seq }) => seq)).toEqual([10, 11, 12, 13, 14]);
    expect(page.more).toBe(true);
  });
});
