import { QueryTypes, Sequelize, Transaction } from "sequelize";
import sqlite3 from "sqlite3";
import { Scans } from "./scans.js";

/**
 * What every connection gets, whoever opens it. Nobody moves the log into the database while committing: `Checkpoints`
 * does that beside the writer.
 */
const pragmas =
  "PRAGMA busy_timeout=10000; PRAGMA journal_mode=WAL; PRAGMA synchronous=FULL; PRAGMA foreign_keys=ON; PRAGMA wal_autocheckpoint=0;";

/** The form of a new database, which cannot change once it has a table. */
const form = "PRAGMA page_size=8192; PRAGMA auto_vacuum=INCREMENTAL;";

/** Of the connection that writes: 64 MB of pages in memory, and a log that shrinks to 64 MB once it is moved. */
const writerPragmas = "PRAGMA cache_size=-65536; PRAGMA journal_size_limit=67108864;";

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

/**
 * The database. Every write goes through the one writer's connection. Short reads have a connection of their own, and so
 * have Sequelize's, of lists, and scans: one statement of a connection goes at a time, and a long one must not hold up
 * what runs need.
 */
export interface Store {
  file: string;
  sequelize: Sequelize;
  /** The one connection that writes. */
  connection: sqlite3.Database;
  /** The connection of short reads. */
  reading: sqlite3.Database;
  /** Reads that no index serves. */
  scans: Scans;
  /** Stands for the writer's connection where Sequelize wants a transaction; BEGIN and COMMIT are the writer's own. */
  writing: Transaction;
  close(): Promise<void>;
}

export async function openDatabase(file: string): Promise<Store> {
  const connection = await opened(file, form);
  await exec(connection, pragmas + writerPragmas);
  const onlyReads = `${pragmas} PRAGMA query_only=ON;`;
  const reading = await opened(file, onlyReads);
  const scanning = await opened(file, onlyReads);
  const sequelize = new Sequelize({
    dialect: "sqlite",
    dialectModule: { ...sqlite3, Database },
    storage: file,
    logging: false,
  });
  const writing = new Transaction(sequelize, {});
  (writing as unknown as { connection: sqlite3.Database }).connection = connection;
  return {
    file,
    sequelize,
    connection,
    reading,
    scans: new Scans(sequelize, scanning),
    writing,
    async close() {
      await sequelize.close();
      await closed(reading);
      await closed(scanning);
      await closed(connection);
    },
  };
}

/** Opens a connection of its own, with pragmas that it runs first. */
export async function opened(file: string, first: string): Promise<sqlite3.Database> {
  const connection = await new Promise<sqlite3.Database>((resolve, reject) => {
    const made: sqlite3.Database = new sqlite3.Database(file, (error) =>
      error ? reject(error) : resolve(made),
    );
  });
  await exec(connection, first);
  // One statement at a time, without holding threads for those behind it.
  connection.serialize();
  return connection;
}

export function closed(connection: sqlite3.Database): Promise<void> {
  return new Promise((resolve, reject) => connection.close((error) => (error ? reject(error) : resolve())));
}

function exec(connection: sqlite3.Database, sql: string): Promise<void> {
  return new Promise((resolve, reject) =>
    connection.exec(sql, (error) => (error ? reject(error) : resolve())),
  );
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

/** Reads with one statement on a connection of its own; the values have the names `:name` or stand for `?`. */
export function selectOn<T>(
  connection: sqlite3.Database,
  sql: string,
  values: unknown[] | Record<string, unknown> = [],
): Promise<T[]> {
  return new Promise((resolve, reject) =>
    connection.all(sql, values, (error: Error | null, rows: T[]) => (error ? reject(error) : resolve(rows))),
  );
}

/** A short read, by a key or an index; the values of its `:name`s. */
export function select<T extends object>(
  store: Store,
  sql: string,
  values: Record<string, unknown> = {},
): Promise<T[]> {
  return selectOn(
    store.reading,
    sql,
    Object.fromEntries(Object.entries(values).map(([name, value]) => [`:${name}`, value])),
  );
}

/** A read that may take long: of a list, or of many rows. */
export async function selectList<T extends object>(
  store: Store,
  sql: string,
  replacements: Record<string, unknown> = {},
): Promise<T[]> {
  return store.sequelize.query<T>(sql, { type: QueryTypes.SELECT, replacements });
}
