import { printJson, type Entry } from "@copper-kettle/core";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import type { RunJournal } from "./run-journal.js";
import { TestStore } from "./store.test.kit.js";

describe("a journal of which a row cannot be written", () => {
  let it_: TestStore;
  beforeEach(async () => (it_ = await TestStore.open()));
  afterEach(() => it_.close());

  const bad = { key: "bad", sql: "INSERT INTO nowhere VALUES (1)", values: [] };
  const write = (journal: RunJournal, at: number, fails: boolean): Promise<boolean> => {
    const entry: Entry = { type: "ended", at, path: `s${at}`, kind: "note", outcome: at };
    return journal.write([{ entry, open: printJson(entry), sealed: undefined }], fails ? [bad] : []).then(
      () => true,
      () => false,
    );
  };
  it("says the same reason for each row behind it: whoever has to know of a full disk does", async () => {
    const journal = await it_.addRun("full");
    const entry: Entry = { type: "ended", at: 1, path: "a", kind: "note", outcome: 1 };
    const row = { entry, open: printJson(entry), sealed: undefined };
    const results = await Promise.allSettled([
      journal.write([row], [bad]),
      journal.write([row]),
      journal.write([row]),
    ]);
    const reasons = results.map((one) => (one.status === "rejected" ? (one.reason as unknown) : undefined));
    expect(reasons[0]).toMatchObject({ code: "SQLITE_ERROR" });
    expect(new Set(reasons).size).toBe(1);
  });

  const stored = async (run: string): Promise<number[]> =>
    (await it_.journals.load(run, "w")).entries.map(({ at }) => at);

  it("has no row behind it, whichever it is, and whoever writes beside it; who looks again goes on there", async () => {
    const rows = 12;
    for (let fails = 0; fails < rows; fails++) {
      const [run, other] = [`run-${fails}`, `other-${fails}`];
      const [journal, beside] = [await it_.addRun(run), await it_.addRun(other)];
      const written: Promise<boolean>[] = [];
      const others: Promise<boolean>[] = [];
      for (let at = 0; at < rows; at++) {
        written.push(write(journal, at, at === fails));
        others.push(write(beside, at, false));
        // Some are given while the commit of those before them is under way, and units between them.
        if (at % 5 === 4) await new Promise((resolve) => setImmediate(resolve));
        if (at % 4 === 0) void it_.writer.write(async () => undefined);
      }
      expect(await Promise.all(others)).not.toContain(false);
      expect(await Promise.all(written)).toEqual(Array.from({ length: rows }, (_, at) => at < fails));
      expect(await stored(run)).toEqual(Array.from({ length: fails }, (_, at) => at));
      expect(await stored(other)).toHaveLength(rows);
      const { journal: again } = await it_.journals.load(run, "w");
      for (let at = fails; at < rows; at++) expect(await write(again, at, false)).toBe(true);
      expect(await stored(run)).toEqual(Array.from({ length: rows }, (_, at) => at));
    }
  });
});
