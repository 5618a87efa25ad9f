import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { execute, openDatabase, select } from "../database.js";
import { migrate, migrations } from "../migrations.js";
import { TestStore } from "../store.test.kit.js";

describe("who acted, in records from before there were kinds", () => {
  let it_: TestStore;
  beforeEach(async () => void (it_ = await TestStore.open()));
  afterEach(() => it_.close());

  it("is a token, a run or the service", async () => {
    const older = await openDatabase(`${it_.folder}/older.sqlite`);
    await execute(
      older.connection,
      "CREATE TABLE migrations (name TEXT PRIMARY KEY, done_at INTEGER NOT NULL)",
    );
    for (const { name, statements, then } of migrations.filter(({ name }) => name < "0011")) {
      for (const statement of statements) await execute(older.connection, statement);
      await then?.(older);
      await execute(older.connection, "INSERT INTO migrations VALUES (?, 0)", [name]);
    }
    await execute(older.connection, "INSERT INTO texts (digest, text) VALUES ('t', 't')");
    for (const [id, by, trigger] of [
      ["r1", "ines", "{}"],
      ["r2", null, '{"caller":{"run":"r1"}}'],
    ])
      await execute(
        older.connection,
        `INSERT INTO runs (id, workflow, version, text, origin, state, "trigger", created_at, principal)
         VALUES (?, 'round', 1, 't', ?, 'queued', ?, 0, ?)`,
        [id, id, trigger, by],
      );
    for (const [by, run] of [
      ["ines", null],
      ["service", null],
      ["workflow round", "r1"],
    ])
      await execute(
        older.connection,
        "INSERT INTO activity (at, by, action, kind, name, run) VALUES (0, ?, 'used', 'credential', 'c', ?)",
        [by, run],
      );
    await execute(older.connection, "INSERT INTO versions VALUES ('round', 1, 't', 0, 'ines')");
    expect(await migrate(older)).toContain("0011-grants");
    expect(await select(older, "SELECT principal, started_by FROM runs ORDER BY id")).toEqual([
      { principal: "token:ines", started_by: null },
      { principal: null, started_by: "run:r1" },
    ]);
    expect(await select(older, "SELECT by FROM activity ORDER BY id")).toEqual([
      { by: "token:ines" },
      { by: "service" },
      { by: "run:r1" },
    ]);
    expect(await select(older, "SELECT published_by FROM versions")).toEqual([
      { published_by: "token:ines" },
    ]);
    await older.close();
  });
});
