import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import sqlite3 from "sqlite3";
import { execute } from "./database.js";

/** Another service owns the data folder. */
export class FolderTaken extends Error {
  override name = "FolderTaken";
}

export interface Lock {
  release(): Promise<void>;
}

/**
 * Takes the exclusive lock of a data folder, and holds it for the process's life: an exclusive SQLite transaction,
 * which the operating system lets go however the process ends.
 * @throws FolderTaken, naming the holder
 */
export async function lockFolder(folder: string, about: { url: string }): Promise<Lock> {
  const connection = await new Promise<sqlite3.Database>((resolve, reject) => {
    const opened: sqlite3.Database = new sqlite3.Database(join(folder, "lock.sqlite"), (error) =>
      error ? reject(error) : resolve(opened),
    );
  });
  const holder = join(folder, "lock.json");
  try {
    await execute(connection, "PRAGMA busy_timeout=0");
    await execute(connection, "PRAGMA journal_mode=OFF"); // nothing is ever written: it works on a full disk
    await execute(connection, "BEGIN EXCLUSIVE");
  } catch (error) {
    await new Promise<void>((resolve) => connection.close(() => resolve()));
    if ((error as { code?: string }).code !== "SQLITE_BUSY") throw error;
    throw new FolderTaken(
      `The data folder ${folder} belongs to a service that is running${holderOf(holder)}. Stop it first, or name another folder with --data.`,
    );
  }
  try {
    const note = { pid: process.pid, url: about.url, since: new Date().toISOString() };
    writeFileSync(holder, JSON.stringify(note));
  } catch {
    // Only a note for people: on a full disk the service starts all the same, so that they can look.
  }
  return {
    release: () => new Promise((resolve) => connection.close(() => resolve())),
  };
}

function holderOf(file: string): string {
  try {
    const { pid, url, since } = JSON.parse(readFileSync(file, "utf8")) as Record<string, string>;
    return ` (process ${pid}, at ${url}, since ${since})`;
  } catch {
    return "";
  }
}
