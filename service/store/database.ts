import { QueryTypes, Sequelize, Transaction } from "sequelize";
import sqlite3 from "sqlite3";

/** What every connection gets, whoever opens it. */
const pragmas =
  "PRAGMA journal_mode=WAL; PRAGMA synchronous=FULL; PRAGMA busy_timeout=10000; PRAGMA foreign_keys=ON;";

/** Sequelize's pool settings and hooks do nothing for SQLite; a subclass of its Database does. */
class Database extends sqlite3.Database {
  constructor(
    file: string,
    mode?: number | ((error: Error | null) => void),
    callback?: (error: Error | null) => void,
  ) {
    super(file, typeof mode === "number" ? mode : sqlite3.OPEN_READWRITE | sqlite3.OPEN_CREATE, (error) => {
      const done = typeof mode === "function" ? mode : callback;
      if (error) return done?.(error);
      this.exec(pragmas, (failed) => done?.(failed));
    });
  }
}

/** The database: reads go to Sequelize as usual; every write goes through the one writer's connection. */
export interface Store {
  sequelize: Sequelize;
  /** The one connection that writes. */
  connection: sqlite3.Database;
  /** Stands for the writer's connection where Sequelize wants a transaction; BEGIN and COMMIT are the writer's own. */
  writing: Transaction;
  close(): Promise<void>;
}

export async function openDatabase(file: string): Promise<Store> {
  const sequelize = new Sequelize({
    dialect: "sqlite",
    dialectModule: { ...sqlite3, Database },
    storage: file,
    logging: false,
  });
  const connection = await new Promise<sqlite3.Database>((resolve, reject) => {
    const opened: sqlite3.Database = new Database(file, (error) => (error ? reject(error) : resolve(opened)));
  });
  const writing = new Transaction(sequelize, {});
  (writing as unknown as { connection: sqlite3.Database }).connection = connection;
  return {
    sequelize,
    connection,
    writing,
    async close() {
      await sequelize.close();
      await new Promise<void>((resolve, reject) =>
        connection.close((error) => (error ? reject(error) : resolve())),
      );
    },
  };
}

/** A further connection that only reads. */
export function openReader(file: string): Promise<sqlite3.Database> {
  return new Promise((resolve, reject) => {
    const opened = new sqlite3.Database(file, sqlite3.OPEN_READONLY, (error) =>
      error ? reject(error) : resolve(opened),
    );
  });
}

/** Runs one statement on a connection. */
export function execute(connection: sqlite3.Database, sql: string, values: unknown[] = []): Promise<number> {
  return new Promise((resolve, reject) => {
    connection.run(sql, values, function (this: { changes: number }, error: Error | null) {
      if (error) reject(error);
      else resolve(this.changes);
    });
  });
}

/** Reads with one statement on a connection of its own. */
export function selectOn<T>(connection: sqlite3.Database, sql: string, values: unknown[] = []): Promise<T[]> {
  return new Promise((resolve, reject) =>
    connection.all(sql, values, (error: Error | null, rows: T[]) => (error ? reject(error) : resolve(rows))),
  );
}

export async function select<T extends object>(
  store: Store,
  sql: string,
  replacements: Record<string, unknown> = {},
): Promise<T[]> {
  return store.sequelize.query<T>(sql, { type: QueryTypes.SELECT, replacements });
}
