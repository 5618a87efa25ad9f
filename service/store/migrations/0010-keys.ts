import { execute, select, type Store } from "../database.js";
import { keyDigest, olderKey } from "../start-keys.js";

/** Whatever has a key has an environment in it; keys of starts are rows of their own, and outlive their runs. */
export const keys = [
  `ALTER TABLE remembered RENAME TO remembered_before`,
  `CREATE TABLE remembered (
     environment TEXT NOT NULL DEFAULT 'live', workflow TEXT NOT NULL, "key" TEXT NOT NULL, data TEXT NOT NULL,
     sealed BLOB, masked TEXT NOT NULL DEFAULT '[]', expires_at INTEGER, changed_at INTEGER NOT NULL,
     PRIMARY KEY (environment, workflow, "key"))`,
  `INSERT INTO remembered (workflow, "key", data, sealed, masked, expires_at, changed_at)
     SELECT workflow, "key", data, sealed, masked, expires_at, changed_at FROM remembered_before`,
  `DROP TABLE remembered_before`,
  `ALTER TABLE locks RENAME TO locks_before`,
  `CREATE TABLE locks (
     environment TEXT NOT NULL DEFAULT 'live', name TEXT NOT NULL, run TEXT NOT NULL, path TEXT NOT NULL,
     at INTEGER NOT NULL, PRIMARY KEY (environment, name))`,
  `INSERT INTO locks (name, run, path, at) SELECT name, run, path, at FROM locks_before`,
  `DROP TABLE locks_before`,
  `CREATE INDEX locks_by_run ON locks (run)`,
  `ALTER TABLE runs ADD COLUMN environment TEXT NOT NULL DEFAULT 'live'`,
  // The digest of environment, workflow and key: what others call their things is nowhere in the open.
  `CREATE TABLE start_keys (digest BLOB PRIMARY KEY, run TEXT NOT NULL, inputs BLOB NOT NULL, at INTEGER NOT NULL)
     WITHOUT ROWID`,
  `CREATE INDEX start_keys_by_time ON start_keys (at)`,
  `CREATE INDEX start_keys_by_run ON start_keys (run)`,
];

export async function moveKeys(store: Store): Promise<void> {
  const rows = await select<{ id: string; workflow: string; key: string; at: number }>(
    store,
    "SELECT id, workflow, start_key AS key, created_at AS at FROM runs WHERE start_key IS NOT NULL",
  );
  for (const { id, workflow, key, at } of rows)
    await execute(store.connection, "INSERT OR IGNORE INTO start_keys VALUES (?, ?, x'', ?)", [
      keyDigest(workflow, olderKey(key)),
      id,
      at,
    ]);
  await execute(store.connection, "DROP INDEX runs_by_key");
  await execute(store.connection, "ALTER TABLE runs DROP COLUMN start_key");
}
