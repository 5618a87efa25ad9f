import { cp, mkdir, readdir, rm, stat, writeFile } from "node:fs/promises";
import { existsSync } from "node:fs";
import { isAbsolute, join } from "node:path";
import { execute, openReader } from "../store/database.js";

/** A backup cannot be written, or be read; `message` says why. */
export class BackupFault extends Error {
  override name = "BackupFault";
}

/** Found in a data folder that came from a backup: its unfinished runs are held until somebody lets them go on. */
export const restoredMark = "restored.json";

export interface BackupParts {
  dataFolder: string;
  version: string;
  /** Lets nothing be forgotten meanwhile. */
  holding<T>(work: () => Promise<T>): Promise<T>;
}

/**
 * Writes a consistent copy while the service runs: the database as of one moment, then the bodies, of which none that
 * the copy names can be missing, since each is there before its row; and the sealing key, without which no secret opens.
 * @throws BackupFault
 */
export async function backUp(
  { dataFolder, version, holding }: BackupParts,
  folder = join(dataFolder, "backups", new Date().toISOString().replace(/[:.]/g, "-")),
): Promise<{ folder: string; bytes: number; files: number }> {
  if (!isAbsolute(folder)) throw new BackupFault(`"${folder}" is no absolute path.`);
  if (existsSync(folder) && (await readdir(folder)).length > 0)
    throw new BackupFault(`${folder} is not empty; a backup has a folder of its own.`);
  return holding(async () => {
    await mkdir(folder, { recursive: true, mode: 0o700 });
    try {
      const reader = await openReader(join(dataFolder, "copper-kettle.sqlite"));
      try {
        await execute(reader, "VACUUM INTO ?", [join(folder, "copper-kettle.sqlite")]);
      } finally {
        await new Promise<void>((resolve) => reader.close(() => resolve()));
      }
      for (const part of ["blobs", "sealing.key"])
        if (existsSync(join(dataFolder, part)))
          await cp(join(dataFolder, part), join(folder, part), { recursive: true, preserveTimestamps: true });
      await writeFile(join(folder, "backup.json"), JSON.stringify({ version, at: new Date().toISOString() }));
      return { folder, ...(await sizeOf(folder)) };
    } catch (error) {
      await rm(folder, { recursive: true, force: true });
      throw new BackupFault(`The backup could not be written: ${(error as Error).message}`);
    }
  });
}

async function sizeOf(folder: string): Promise<{ bytes: number; files: number }> {
  let [bytes, files] = [0, 0];
  for (const entry of await readdir(folder, { recursive: true, withFileTypes: true })) {
    if (!entry.isFile()) continue;
    bytes += (await stat(join(entry.parentPath, entry.name))).size;
    files++;
  }
  return { bytes, files };
}
