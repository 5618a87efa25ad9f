import { existsSync } from "node:fs";
import { readFile, rename, rm, writeFile } from "node:fs/promises";
import { join } from "node:path";
import type { Logger } from "pino";
import { owner } from "../credentials/rights.js";
import type { Auth } from "../http/auth.js";
import type { RunFaults } from "../runs/faults.js";
import { writePrivate } from "../sealing/keys.js";
import { openReader, selectOn } from "../store/database.js";
import { storageFault } from "../store/faults.js";
import { dataKeys } from "../store/data-keys.js";
import { restoredMark } from "./backup.js";

/** What lies in the data folder does not belong together; `message` says what to do. */
export class FolderBroken extends Error {
  override name = "FolderBroken";
}

/**
 * A restore that broke off leaves its mark and no database.
 * @throws FolderBroken
 */
export function requireWholeRestore(folder: string, database: string): void {
  if (existsSync(join(folder, restoredMark)) && !existsSync(database))
    throw new FolderBroken(
      `A restore into ${folder} was interrupted. Empty the folder, and run ckettle restore again.`,
    );
}

/**
 * A database without a data key, beside an access token that was given out, is not the one that this folder had: its
 * file was removed or emptied.
 * @throws FolderBroken
 */
export async function requireOwnDatabase(database: string, token: string): Promise<void> {
  if (!existsSync(token) || (await dataKeys()).length > 0) return;
  throw new FolderBroken(
    `The database ${database} is new or empty, and the rest of the data folder is not: the file was removed or replaced. Put it back, or restore a backup into another folder. To begin with nothing, name an empty folder with --data.`,
  );
}

/** Room that is kept on the disk, in bytes: as much as the database needs to be opened. */
const roomBytes = 262_144;
const roomFile = (folder: string): string => join(folder, "room");

/**
 * Opens something in the data folder; on a full disk with the room that was kept for that, so that people can look at
 * what is there while they make more.
 */
export async function openWithRoom<T>(folder: string, open: () => Promise<T>): Promise<T> {
  try {
    return await open();
  } catch (error) {
    if (storageFault(error) === undefined || !existsSync(roomFile(folder))) throw error;
    await rm(roomFile(folder));
    return open();
  }
}

/** Keeps that room for the next start, where there is any. */
export async function keepRoom(folder: string): Promise<void> {
  const file = roomFile(folder);
  if (existsSync(file)) return;
  await writeFile(file, Buffer.alloc(roomBytes)).catch(() => rm(file, { force: true }));
}

/** Writes the owner's token if there is none; the one of a file that is gone is good no more. */
export async function giveFirstToken(auth: Auth, file: string): Promise<void> {
  if (auth.hasTokens && existsSync(file)) return;
  await auth.removeToken(owner);
  await writePrivate(file, `${await auth.createToken(owner)}\n`);
}

/** The copy of the database from before the last upgrade, in the data folder. */
export const beforeUpgrade = "before-upgrade.sqlite";

/** The version that last had the folder, as far as it is noted. */
export async function lastVersion(folder: string): Promise<string | undefined> {
  try {
    const noted = JSON.parse(await readFile(join(folder, "service.json"), "utf8")) as { version?: unknown };
    return typeof noted.version === "string" ? noted.version : undefined;
  } catch {
    return undefined;
  }
}

/** Notes where the service is. Others read the file while it changes: it is there whole, or as it was before. */
export async function noteAddress(folder: string, note: object): Promise<void> {
  const file = join(folder, "service.json");
  await writeFile(`${file}.new`, JSON.stringify(note));
  await rename(`${file}.new`, file);
}

/** Looks through the whole database beside all else (SQLite's quick_check), and says when it is damaged. */
export function lookForDamage(
  file: string,
  faults: Pick<RunFaults, "trouble">,
  log: Logger,
  now: () => number,
): { stop(): Promise<void> } {
  let stopped = false;
  const opened = openReader(file);
  const looked = opened
    .then((reader) => selectOn<{ quick_check: string }>(reader, "PRAGMA quick_check(1)"))
    .then(
      ([found]) => found?.quick_check ?? "ok",
      (error: Error) => error.message,
    )
    .then((found) => {
      if (found === "ok" || stopped) return;
      log.error({ found }, "the database is damaged");
      const message = `The database is damaged (${found}). Stop the service, and restore a backup.`;
      faults.trouble = { at: now(), message, lasts: true };
    });
  return {
    async stop() {
      stopped = true;
      const reader = await opened.catch(() => undefined);
      reader?.interrupt();
      await looked;
      await new Promise<void>((resolve) => (reader ? reader.close(() => resolve()) : resolve()));
    },
  };
}
