import { join } from "node:path";
import { execute, openDatabase } from "../../service/dist/store/database.js";
import { Writer } from "../../service/dist/store/writer.js";
import { call, openBare } from "./sqlite.mjs";

const warmUp = 500;
const units = 3_000;
const sideBySide = 50;
const table = "CREATE TABLE counters (name TEXT PRIMARY KEY, value INTEGER NOT NULL)";
const change = "UPDATE counters SET value = value + 1 WHERE name = ?";
const names = Array.from({ length: 1_000 }, (_, index) => `counter ${index}`);

/** A row that is changed in a group commit, as an engineer would write it: one prepared statement, no units. */
async function bareRows(file) {
  const database = await openBare(file, table);
  for (const name of names) await call(database, "run", "INSERT INTO counters VALUES (?, 0)", name);
  const statement = await new Promise((resolve, reject) => {
    const made = database.prepare(change, (error) => (error ? reject(error) : resolve(made)));
  });
  let waiting = [];
  let working = false;
  async function work() {
    working = true;
    await new Promise((resolve) => setImmediate(resolve));
    while (waiting.length > 0) {
      const batch = waiting;
      waiting = [];
      await call(database, "run", "BEGIN IMMEDIATE");
      await Promise.all(batch.map(({ name }) => call(statement, "run", name)));
      await call(database, "run", "COMMIT");
      for (const { resolve } of batch) resolve();
    }
    working = false;
  }
  return {
    change: (name) =>
      new Promise((resolve) => {
        waiting.push({ name, resolve });
        if (!working) void work();
      }),
    close: async () => {
      await call(statement, "finalize");
      await call(database, "close");
    },
  };
}

/** The same by units of work: each in a savepoint of its own, so that one that fails leaves the others as they were. */
async function unitRows(file) {
  const store = await openDatabase(file);
  await execute(store.connection, table);
  const writer = new Writer(store);
  for (const name of names)
    await writer.write(() => execute(store.connection, "INSERT INTO counters VALUES (?, 0)", [name]));
  return {
    change: (name) => writer.write(() => execute(store.connection, change, [name])),
    close: async () => {
      await writer.close();
      await store.close();
    },
  };
}

/** Changes of one row a second, so many side by side. */
async function rate({ change: one }, count) {
  let next = 0;
  const began = performance.now();
  await Promise.all(
    Array.from({ length: sideBySide }, async () => {
      while (next < count) await one(names[next++ % names.length]);
    }),
  );
  return (count * 1_000) / (performance.now() - began);
}

/** Units of work that change one row, against bare rows in a group commit; in turns, the best of three counts. */
export async function changing(folder) {
  const bare = await bareRows(join(folder, "bare-rows.sqlite"));
  const ours = await unitRows(join(folder, "units.sqlite"));
  for (const side of [bare, ours]) await rate(side, warmUp);
  const rounds = [];
  for (let round = 0; round < 3; round++)
    rounds.push({ bare: await rate(bare, units), ours: await rate(ours, units) });
  await bare.close();
  await ours.close();
  const best = (key) => Math.max(...rounds.map((one) => one[key]));
  return { bare: best("bare"), ours: best("ours") };
}
