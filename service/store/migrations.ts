import { rm } from "node:fs/promises";
import { execute, select, type Store } from "./database.js";
import { firstTables } from "./migrations/0001-first-tables.js";
import { apiTables } from "./migrations/0003-apis.js";
import { engineTables } from "./migrations/0005-engine.js";
import { tryTables } from "./migrations/0004-tries.js";
import { convertTexts, oneWordForOneThing } from "./migrations/0007-words.js";
import { waits } from "./migrations/0008-waits.js";
import { keys, moveKeys } from "./migrations/0010-keys.js";
import { fileOwners } from "./migrations/0012-file-owners.js";
import { triggers } from "./migrations/0013-triggers.js";
import { polls } from "./migrations/0014-polls.js";
import { shares } from "./migrations/0015-shares.js";
import { drafts } from "./migrations/0016-drafts.js";
import { expected } from "./migrations/0017-expect.js";
import { digestSeen, seenDigests } from "./migrations/0018-seen.js";
import { many } from "./migrations/0019-many.js";
import { looks } from "./migrations/0020-looks.js";
import { keyedAs } from "./migrations/0021-keyed-as.js";
import { logins } from "./migrations/0022-logins.js";
import { putAside } from "./migrations/0023-put-aside.js";
import { lives } from "./migrations/0024-lives.js";
import { grants } from "./migrations/0011-grants.js";
import { outbox } from "./migrations/0009-outbox.js";
import { principals } from "./migrations/0006-principals.js";
import { credentialLife } from "./migrations/0002-credential-life.js";

/** One step of the database's history: statements, and what they cannot say. */
export interface Migration {
  name: string;
  statements: string[];
  /** Runs behind the statements, in the same transaction. */
  then?: (store: Store) => Promise<void>;
}

/** All migrations, oldest first. None is ever changed after it was released. */
export const migrations: Migration[] = [
  { name: "0001-first-tables", statements: firstTables },
  { name: "0002-credential-life", statements: credentialLife },
  { name: "0003-apis", statements: apiTables },
  { name: "0004-tries", statements: tryTables },
  { name: "0005-engine", statements: engineTables },
  { name: "0006-principals", statements: principals },
  { name: "0007-words", statements: oneWordForOneThing, then: convertTexts },
  { name: "0008-waits", statements: waits },
  { name: "0009-outbox", statements: outbox },
  { name: "0010-keys", statements: keys, then: moveKeys },
  { name: "0011-grants", statements: grants },
  { name: "0012-file-owners", statements: fileOwners },
  { name: "0013-triggers", statements: triggers },
  { name: "0014-polls", statements: polls },
  { name: "0015-shares", statements: shares },
  { name: "0016-drafts", statements: drafts },
  { name: "0017-expect", statements: expected },
  { name: "0018-seen", statements: seenDigests, then: digestSeen },
  { name: "0019-many", statements: many },
  { name: "0020-looks", statements: looks },
  { name: "0021-keyed-as", statements: keyedAs },
  { name: "0022-logins", statements: logins },
  { name: "0023-put-aside", statements: putAside },
  { name: "0024-lives", statements: lives },
];

/** The database was written by a later version, which this one would misread. */
export class NewerDatabase extends Error {
  override name = "NewerDatabase";
}

/**
 * Brings a database up to date, migration by migration, each in one transaction.
 * @param options.copy where the database is copied to first, if it is not new
 * @param options.wroteBy the version that wrote it last, for people
 * @throws NewerDatabase, and changes nothing
 */
export async function migrate(
  store: Store,
  { copy, wroteBy }: { copy?: string; wroteBy?: string | undefined } = {},
): Promise<string[]> {
  await execute(
    store.connection,
    "CREATE TABLE IF NOT EXISTS migrations (name TEXT PRIMARY KEY, done_at INTEGER NOT NULL)",
  );
  const done = new Set(
    (await select<{ name: string }>(store, "SELECT name FROM migrations")).map(({ name }) => name),
  );
  const open = migrations.filter(({ name }) => !done.has(name));
  const unknown = [...done].find((name) => !migrations.some((migration) => migration.name === name));
  if (unknown !== undefined)
    throw new NewerDatabase(
      `The database was written by a later version of Copper Kettle${wroteBy === undefined ? "" : ` (${wroteBy})`}: it has the migration ${unknown}. Start that version, or restore a backup that this one wrote.`,
    );
  if (copy !== undefined && done.size > 0 && open.length > 0) {
    await rm(copy, { force: true });
    await execute(store.connection, "VACUUM INTO ?", [copy]);
  }
  for (const migration of open) await run(store, migration);
  return open.map(({ name }) => name);
}

/** Runs one migration, whole or not at all. */
async function run(store: Store, { name, statements, then }: Migration): Promise<void> {
  await execute(store.connection, "BEGIN IMMEDIATE");
  try {
    for (const statement of statements) await execute(store.connection, statement);
    await then?.(store);
    await execute(store.connection, "INSERT INTO migrations (name, done_at) VALUES (?, ?)", [
      name,
      Date.now(),
    ]);
    await execute(store.connection, "COMMIT");
  } catch (error) {
    await execute(store.connection, "ROLLBACK");
    throw error;
  }
}
