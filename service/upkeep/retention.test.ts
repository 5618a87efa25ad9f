import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { ApiRevisionRow } from "../store/api-models.js";
import { Forgetting } from "../store/forgetting.js";
import { ActivityRow, RunRow, TextRow } from "../store/models.js";
import { TestStore } from "../store/store.test.kit.js";
import { Pruner } from "./retention.js";

const day = 86_400_000;

describe("retention", () => {
  let it_: TestStore;
  let now = 1_000 * day;
  let pruner: Pruner;
  beforeEach(async () => {
    it_ = await TestStore.open();
    const settings = { get: () => undefined } as never;
    const log = { info: () => undefined } as never;
    pruner = new Pruner(new Forgetting(it_.writer, it_.blobs, () => now), settings, log, () => now);
    now = 1_000 * day;
    await TextRow.create({ digest: "t1", text: "t1" });
  });
  afterEach(() => it_.close());

  const run = (id: string, more: Partial<RunRow>) =>
    RunRow.create({
      id,
      workflow: "round",
      version: 1,
      text: "t1",
      origin: id,
      state: "succeeded",
      trigger: "{}",
      createdAt: now - 200 * day,
      ...more,
    });

  it("forgets what is old, whatever an unfinished run was given; and never what such a run keeps", async () => {
    for (const id of ["a", "b"]) await run(id, { endedAt: now - 200 * day });
    // An option named `from` that is none: it once stopped all forgetting, of every workflow.
    await run("c", { state: "waiting", options: '{"parked":{"mail":{"from":null}}}' });
    await run("d", { state: "waiting", repeats: "b" });
    expect((await pruner.prune()).runs).toBe(1);
    expect((await RunRow.findAll()).map(({ id }) => id).sort()).toEqual(["b", "c", "d"]);
  });

  it("forgets texts that nothing names, a day later; one that is named again stays", async () => {
    await run("a", { state: "waiting", text: "t1" });
    for (const digest of ["t2", "t3"]) await TextRow.create({ digest, text: digest });
    await pruner.prune();
    expect(await TextRow.count()).toBe(3);
    await TextRow.upsert({ digest: "t3", text: "t3", unusedSince: null });
    now += day + 1;
    await pruner.prune();
    expect((await TextRow.findAll()).map(({ digest }) => digest).sort()).toEqual(["t1", "t3"]);
  });

  it("forgets all but the newest revisions of an API, and none that a run may have begun with", async () => {
    const create = (revision: number, createdAt: number) =>
      ApiRevisionRow.create({
        api: "stays",
        revision,
        document: `d${revision}`,
        original: `o${revision}`,
        written: "",
        source: null,
        createdAt,
        createdBy: "ines",
      });
    for (let revision = 1; revision <= 105; revision++) await create(revision, now - 50 * day + revision);
    await run("a", { state: "waiting", createdAt: now - 50 * day + 4 });
    await pruner.prune();
    const left = (await ApiRevisionRow.findAll({ order: [["revision", "ASC"]] })).map(
      ({ revision }) => revision,
    );
    expect([left[0], left.length]).toEqual([3, 103]);
    await RunRow.update({ endedAt: now }, { where: { id: "a" } });
    await pruner.prune();
    expect(await ApiRevisionRow.count()).toBe(100);
  });

  it("keeps whatever an unended run needs: by way of other runs, and what it called and waits for", async () => {
    const ended = { endedAt: now - 200 * day };
    await run("a", ended);
    await run("b", { ...ended, repeats: "a" });
    await run("c", { state: "waiting", repeats: "b" });
    await run("d", { state: "waiting" });
    await run("e", { ...ended, parent: "d" });
    await run("f", { ...ended, parent: "e" });
    expect((await pruner.prune()).runs).toBe(1);
    expect((await RunRow.findAll()).map(({ id }) => id).sort()).toEqual(["a", "b", "c", "d", "e"]);
    await RunRow.update(ended, { where: { id: ["c", "d"] } });
    expect((await pruner.prune()).runs).toBe(5);
  });

  it("forgets who did what in bites, by an index", async () => {
    const rows = Array.from({ length: 1_200 }, (_, index) => ({
      at: index < 1_100 ? now - 500 * day : now,
      by: "ines",
      action: "used",
      kind: "credential",
      name: "k",
      run: null,
      detail: null,
    }));
    await ActivityRow.bulkCreate(rows);
    await pruner.prune();
    expect(await ActivityRow.count()).toBe(100);
    const [plan] = (await it_.store.sequelize.query(
      "EXPLAIN QUERY PLAN SELECT id FROM activity WHERE at < 1 ORDER BY at LIMIT 500",
    )) as [{ detail: string }[], unknown];
    expect(plan[0]?.detail).toContain("activity_by_time");
  });
});
