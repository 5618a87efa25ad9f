import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { QueryTypes } from "sequelize";
import { select, selectList } from "./database.js";
import { RunStore } from "./runs.js";
import { ScanTooLong, Scans } from "./scans.js";
import { TestStore } from "./store.test.kit.js";

/** Counts for longer than any test takes. */
const endless = "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT count(*) FROM n";

describe("a scan", () => {
  let it_: TestStore;
  beforeEach(async () => void (it_ = await TestStore.open()));
  afterEach(() => it_.close());

  const scansOf = (most: { millis: number; waiting: number }): Scans =>
    new Scans(it_.store.sequelize, it_.store.scans.connection, most);
  const reading =
    (sql: string) =>
    (transaction: object): Promise<unknown> =>
      it_.store.sequelize.query(sql, { type: QueryTypes.SELECT, transaction: transaction as never });

  it("is interrupted when its time is over, and the next one reads", async () => {
    const scans = scansOf({ millis: 50, waiting: 5 });
    await expect(scans.run(reading(endless))).rejects.toThrow(ScanTooLong);
    expect(await scans.run(reading("SELECT 1 AS one"))).toEqual([{ one: 1 }]);
  });

  it("is interrupted when whoever asked goes, and not begun when they went before its turn", async () => {
    const scans = scansOf({ millis: 60_000, waiting: 5 });
    const [first, second] = [new AbortController(), new AbortController()];
    const begun: string[] = [];
    let began = (): void => undefined;
    const hasBegun = new Promise<void>((resolve) => (began = resolve));
    const slow = scans.run((within) => {
      begun.push("first");
      began();
      return reading(endless)(within);
    }, first.signal);
    const behind = scans.run((within) => (begun.push("second"), reading(endless)(within)), second.signal);
    const last = scans.run(reading("SELECT 1 AS one"));
    const ends = Promise.allSettled([slow, behind]);
    second.abort();
    await hasBegun;
    first.abort();
    expect((await ends).map(({ status }) => status)).toEqual(["rejected", "rejected"]);
    await expect(slow).rejects.toThrow("aborted");
    expect(await last).toEqual([{ one: 1 }]);
    expect(begun).toEqual(["first"]);
  });

  it("goes alone, holds neither lists nor short reads up, and is refused when too many wait", async () => {
    const scans = scansOf({ millis: 60_000, waiting: 3 });
    const gone = new AbortController();
    let together = 0;
    let most = 0;
    const slow = [1, 2, 3].map(() =>
      scans
        .run(async (within) => {
          most = Math.max(most, ++together);
          await reading(endless)(within).finally(() => together--);
        }, gone.signal)
        .catch(() => undefined),
    );
    await expect(scans.run(reading("SELECT 1"))).rejects.toThrow(ScanTooLong);
    expect(await select(it_.store, "SELECT 1 AS one")).toEqual([{ one: 1 }]);
    expect(await selectList(it_.store, "SELECT 1 AS one")).toEqual([{ one: 1 }]);
    gone.abort();
    await Promise.all(slow);
    expect(most).toBe(1);
  });

  it("cannot write, and is what a search in the list of runs goes through", async () => {
    await expect(it_.store.scans.run(reading("DELETE FROM runs RETURNING id"))).rejects.toThrow("readonly");
    const gone = new AbortController();
    const held = it_.store.scans.run(reading(endless), gone.signal).catch(() => "interrupted");
    const runs = new RunStore(it_.store);
    expect(await runs.list({}, 5)).toEqual([]);
    let over = 0;
    const found = Promise.all(
      [
        runs.list({ text: "hut" }, 5),
        runs.count({ text: "hut" }, 5),
        runs.list({}, 5, { order: "longest" }),
      ].map((read) => Promise.resolve(read).finally(() => over++)),
    );
    // Other lists go on meanwhile, these wait.
    for (let count = 0; count < 20; count++) await runs.list({}, 5);
    expect(over).toBe(0);
    gone.abort();
    expect(await held).toBe("interrupted");
    expect(await found).toEqual([[], 0, []]);
  });
});
