import type { Principal } from "@copper-kettle/core";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { execute, openDatabase, select } from "./database.js";
import { migrate, migrations } from "./migrations.js";
import { apiKey, callKey, StartKeys } from "./start-keys.js";
import { TestStore } from "./store.test.kit.js";

const day = 86_400_000;
const token = (id: string): Principal => ({ kind: "token", id });

describe("the key of a start", () => {
  let it_: TestStore;
  let keys: StartKeys;
  beforeEach(async () => {
    it_ = await TestStore.open();
    keys = new StartKeys(it_.store);
  });
  afterEach(() => it_.close());
  const note = (key: string, run: string, inputs: object, at = 0): Promise<void> =>
    it_.writer.commit({
      records: [],
      statements: [keys.row({ workflow: "round", key, run, inputs: inputs as never, at })],
    });

  it("is found with its inputs, in whatever order; it says if they are others", async () => {
    await note(apiKey(token("owner"), "k"), "r1", { a: 1, b: [{ c: null }] });
    expect(await keys.find("round", apiKey(token("owner"), "k"), { b: [{ c: null }], a: 1 })).toEqual({
      run: "r1",
      same: true,
    });
    expect(await keys.find("round", apiKey(token("owner"), "k"), { a: 2 })).toEqual({
      run: "r1",
      same: false,
    });
  });

  it("belongs to who gave it: to nobody else, and to no step that starts a run", async () => {
    await note(callKey("r0", "called"), "r1", {});
    await note(apiKey(token("owner"), "k"), "r2", {});
    for (const key of [
      apiKey(token("owner"), "call:r0:called"),
      apiKey(token("marit"), "k"),
      apiKey(token("owner:k"), ""),
      apiKey({ kind: "person", id: "owner" }, "k"),
      apiKey(token("person:owner"), "k"),
      "call:r0:called:",
    ])
      expect(await keys.find("round", key, {})).toBeUndefined();
    expect(await keys.find("tanks", apiKey(token("owner"), "k"), {})).toBeUndefined();
  });

  it("outlives its run for a week", async () => {
    await it_.addRun("r1");
    await note("call:a:b", "r1", {}, day);
    await note("call:a:c", "r2", {}, day);
    await keys.prune(it_.writer, 8 * day);
    expect(await keys.find("round", "call:a:c", {})).toBeDefined();
    await keys.prune(it_.writer, 8 * day + 1);
    expect(await keys.find("round", "call:a:c", {})).toBeUndefined();
    expect(await keys.find("round", "call:a:b", {})).toBeDefined();
  });

  it("from before is known still, whoever gives it", async () => {
    const older = await openDatabase(`${it_.folder}/older.sqlite`);
    await execute(
      older.connection,
      "CREATE TABLE migrations (name TEXT PRIMARY KEY, done_at INTEGER NOT NULL)",
    );
    for (const { name, statements } of migrations.filter(({ name }) => name < "0010")) {
      for (const statement of statements) await execute(older.connection, statement);
      await execute(older.connection, "INSERT INTO migrations VALUES (?, 0)", [name]);
    }
    await execute(older.connection, "INSERT INTO texts (digest, text) VALUES ('t', 't')");
    for (const [id, key] of [
      ["r1", "nightly"],
      ["r2", "call:r1:post"],
    ])
      await execute(
        older.connection,
        "INSERT INTO runs (id, workflow, version, text, origin, state, trigger, created_at, start_key) VALUES (?, 'round', 1, 't', ?, 'queued', '{}', 0, ?)",
        [id, id, key],
      );
    expect(await migrate(older)).toContain("0010-keys");
    const found = new StartKeys(older);
    expect(await found.find("round", apiKey(token("owner"), "nightly"), { any: 1 })).toEqual({
      run: "r1",
      same: true,
    });
    expect(await found.find("round", callKey("r1", "post"), {})).toEqual({ run: "r2", same: true });
    expect(await found.find("round", apiKey(token("owner"), "call:r1:post"), {})).toBeUndefined();
    expect(await select(older, "SELECT * FROM pragma_table_info('runs') WHERE name = 'start_key'")).toEqual(
      [],
    );
    await older.close();
  });
});
