import { readWorkflow, sha256Hex } from "@copper-kettle/core";
import { mkdtemp, rm } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { execute, openDatabase, select, type Store } from "../database.js";
import { migrate, migrations } from "../migrations.js";
import { converted } from "./0007-words.js";

const before = `# the round
copper-kettle: 1
name: round
limits: { at-once: 2, when-busy: skip }   # two of them
steps:
  - step: each_hut
    each: 'kept("huts").?list.orValue([])'   # kept from last time
    at-once: 3
    on-failure: continue
    steps:
      - { step: look, request: GET https://huts.example/huts, when-paced: drop, timeout: { answer: 5s } }
      - step: noted
        keep:
          # for the next night
          key: huts
          add: { seen: 1 }
  - { step: sub, workflow: { name: other, wait: false } }
  - { step: waited, workflow: { name: other, wait: true, inputs: { text: "kept(x) is text, \${kept('huts').seen} is not" } } }
  - { step: out, only-if: size(kept('a')) > 0, stop: { as: failed, message: 'No: \${inputs}' } }
  - step: guarded
    set: { a: 1 }
    catch:
      - { step: gone, only-if: error.code == "answer", note: "404" }
  - { step: end, stop: {} }
`;

const after = `# the round
copper-kettle: 1
name: round
limits: { parallel: 2, when-busy: skip }   # two of them
steps:
  - step: each_hut
    each: 'remembered("huts").?list.orValue([])'   # kept from last time
    parallel: 3
    if-one-fails: continue
    steps:
      - { step: look, request: GET https://huts.example/huts, when-limited: skip, timeout: { response: 5s } }
      - step: noted
        remember:
          # for the next night
          key: huts
          add: { seen: 1 }
  - { step: sub, workflow: { name: other, in-background: true } }
  - { step: waited, workflow: { name: other, inputs: { text: "kept(x) is text, \${remembered('huts').seen} is not" } } }
  - { step: out, only-if: size(remembered('a')) > 0, fail: "No: \${inputs}" }
  - step: guarded
    set: { a: 1 }
    catch:
      - { step: gone, only-if: error.code == "response", note: "404" }
  - { step: end, finish: Finished. }
`;

describe("a text in the words of before", () => {
  it("gets those of now, and keeps its comments, its order and its quoting", () => {
    expect(converted(before)).toBe(after);
    expect(readWorkflow(after).problems.filter(({ severity }) => severity === "error")).toEqual([]);
    expect(converted(after)).toBe(after);
  });

  it("stays as it is if it cannot be read", () => {
    expect(converted("steps: [")).toBe("steps: [");
    expect(converted("steps:\n  - { step: a, note: '${kept(}' }\n")).toBe(
      "steps:\n  - { step: a, note: '${kept(}' }\n",
    );
  });

  it("is converted in the store, with the drafts, versions and runs that name it; states follow, and what waits looks again", async () => {
    const folder = await mkdtemp(join(tmpdir(), "ckettle-words-"));
    const store = await olderStore(join(folder, "older.sqlite"));
    const digest = sha256Hex(before);
    const run = (sql: string, ...values: unknown[]): Promise<unknown> =>
      execute(store.connection, sql, values);
    await run("INSERT INTO texts (digest, text) VALUES (?, ?), ('x', 'steps: [')", digest, before);
    await run(
      "INSERT INTO workflows VALUES ('round', null, ?, 1, 1, 0, 0), ('bad', null, 'x', 1, null, 1, 0)",
      digest,
    );
    await run("INSERT INTO versions VALUES ('round', 1, ?, 0, 'owner')", digest);
    const runs =
      "INSERT INTO runs (id, workflow, version, text, origin, state, trigger, created_at, waits_for) VALUES";
    await run(`${runs} ('r1', 'round', 1, ?, 'r1', 'held', '{}', 0, null)`, digest);
    await run(`${runs} ('r2', 'round', 1, ?, 'r2', 'waiting', '{}', 0, 'pace:boards')`, digest);
    await run("INSERT INTO access_tokens VALUES ('a', 'first', 0), ('b', 'owner', 0), ('c', 'odd', 0)");
    expect((await migrate(store))[0]).toBe("0007-words");
    // Nobody becomes the owner by the name of a token.
    expect(await select(store, "SELECT digest, name FROM access_tokens ORDER BY digest")).toEqual([
      { digest: "a", name: "owner" },
      { digest: "b", name: "owner (former)" },
      { digest: "c", name: "odd" },
    ]);
    const next = sha256Hex(after);
    expect(await select(store, "SELECT digest, text FROM texts ORDER BY digest = 'x'")).toEqual([
      { digest: next, text: after },
      { digest: "x", text: "steps: [" },
    ]);
    expect(await select(store, "SELECT draft FROM workflows ORDER BY name")).toEqual([
      { draft: "x" },
      { draft: next },
    ]);
    expect(await select(store, "SELECT text FROM versions")).toEqual([{ text: next }]);
    expect(await select(store, "SELECT text, state, wake_at FROM runs ORDER BY id")).toEqual([
      { text: next, state: "parked", wake_at: null },
      { text: next, state: "waiting", wake_at: 0 },
    ]);
    await store.close();
    await rm(folder, { recursive: true });
  });
});

/** A database as it was before these words. */
async function olderStore(file: string): Promise<Store> {
  const store = await openDatabase(file);
  await execute(
    store.connection,
    "CREATE TABLE migrations (name TEXT PRIMARY KEY, done_at INTEGER NOT NULL)",
  );
  for (const { name, statements } of migrations.slice(0, 6)) {
    for (const statement of statements) await execute(store.connection, statement);
    await execute(store.connection, "INSERT INTO migrations VALUES (?, 0)", [name]);
  }
  return store;
}
