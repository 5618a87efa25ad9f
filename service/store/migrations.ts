import { execute, select, type Store } from "./database.js";
import { firstTables } from "./migrations/0001-first-tables.js";
import { apiTables } from "./migrations/0003-apis.js";
import { engineTables } from "./migrations/0005-engine.js";
import { tryTables } from "./migrations/0004-tries.js";
import { principals } from "./migrations/0006-principals.js";
import { credentialLife } from "./migrations/0002-credential-life.js";

/** All migrations, oldest first. Each is a list of statements; none is ever changed after it was released. */
export const migrations: { name: string; statements: string[] }[] = [
  { name: "0001-first-tables", statements: firstTables },
  { name: "0002-credential-life", statements: credentialLife },
  { name: "0003-apis", statements: apiTables },
  { name: "0004-tries", statements: tryTables },
  { name: "0005-engine", statements: engineTables },
  { name: "0006-principals", statements: principals },
];

/** Brings a database up to date, migration by migration, each in one transaction. */
export async function migrate(store: Store): Promise<string[]> {
  await execute(
    store.connection,
    "CREATE TABLE IF NOT EXISTS migrations (name TEXT PRIMARY KEY, done_at INTEGER NOT NULL)",
  );
  const executed = async (): Promise<string[]> =>
    (await select<{ name: string }>(store, "SELECT name FROM migrations ORDER BY name")).map(
      ({ name }) => name,
    );
  const done = new Set(await executed());
  if (migrations.every(({ name }) => done.has(name))) return [];
  const { Umzug } = await import("umzug"); // seldom needed, and slow to load
  const umzug = new Umzug({
    migrations: migrations.map(({ name, statements }) => ({
      name,
      up: async () => {
        await execute(store.connection, "BEGIN IMMEDIATE");
        try {
          for (const statement of statements) await execute(store.connection, statement);
          await execute(store.connection, "INSERT INTO migrations (name, done_at) VALUES (?, ?)", [
            name,
            Date.now(),
          ]);
          await execute(store.connection, "COMMIT");
        } catch (error) {
          await execute(store.connection, "ROLLBACK");
          throw error;
        }
      },
    })),
    storage: {
      executed,
      logMigration: async () => undefined,
      unlogMigration: async () => undefined,
    },
    logger: undefined,
  });
  return (await umzug.up()).map(({ name }) => name);
}
