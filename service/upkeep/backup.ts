import { cp, mkdir, readdir, realpath, rm, stat, writeFile } from "node:fs/promises";
import { existsSync } from "node:fs";
import { isAbsolute, join, relative, resolve, sep } from "node:path";
import type { OneAtATime } from "../one-at-a-time.js";
import { execute, openReader } from "../store/database.js";

/** A backup cannot be written, or be read; `message` says why. */
export class BackupFault extends Error {
  override name = "BackupFault";
}

/** Found in a data folder that came from a backup: its unfinished runs are parked until somebody resumes them. */
export const restoredMark = "restored.json";

export interface BackupParts {
  dataFolder: string;
  /** The folder under which backups are written, and nowhere else. */
  root: string;
  version: string;
  /** One backup at a time, and none beside a change of the sealing key. */
  turns: OneAtATime;
  /** Lets nothing be forgotten meanwhile. */
  holding<T>(work: () => Promise<T>): Promise<T>;
}

/** The file of a backup that is written last: without it a folder is not a backup. */
const note = "backup.json";

/**
 * Writes a consistent copy while the service runs: the database as of one moment, then the bodies, of which none that
 * the copy names can be missing, since each is there before its row; and the sealing key, without which no secret opens.
 * @param folder a name or a path under the root; left out, a new one
 * @throws BackupFault
 */
export function backUp(
  { dataFolder, root, version, turns, holding }: BackupParts,
  folder = new Date().toISOString().replace(/[:.]/g, "-"),
): Promise<{ folder: string; bytes: number; files: number }> {
  return turns.run(() =>
    holding(async () => {
      const target = await targetOf(root, folder);
      try {
        const reader = await openReader(join(dataFolder, "copper-kettle.sqlite"));
        try {
          await execute(reader, "VACUUM INTO ?", [join(target, "copper-kettle.sqlite")]);
        } finally {
          await new Promise<void>((resolve) => reader.close(() => resolve()));
        }
        for (const part of ["blobs", "sealing.key"])
          if (existsSync(join(dataFolder, part)))
            await cp(join(dataFolder, part), join(target, part), {
              recursive: true,
              preserveTimestamps: true,
            });
        await writeFile(join(target, note), JSON.stringify({ version, at: new Date().toISOString() }));
        return { folder: target, ...(await sizeOf(target)) };
      } catch (error) {
        await rm(target, { recursive: true, force: true });
        throw new BackupFault(`The backup could not be written: ${(error as Error).message}`);
      }
    }),
  );
}

/**
 * The new folder of a backup, made: under the root by its real path, whatever links lead there. A backup holds the
 * sealing key, so that it must not land where others look.
 * @throws BackupFault
 */
async function targetOf(root: string, folder: string): Promise<string> {
  if (folder.includes("\u0000")) throw new BackupFault("The name of a folder holds no NUL.");
  await mkdir(root, { recursive: true, mode: 0o700 });
  const real = await realpath(root);
  const wanted = resolve(real, isAbsolute(folder) ? relative(root, folder) : folder);
  const inside = relative(real, wanted);
  if (inside === "" || inside.startsWith("..") || isAbsolute(inside))
    throw new BackupFault(
      `Backups are written under ${root}, but ${folder} is not there. Set COPPER_KETTLE_BACKUPS to use another folder.`,
    );
  try {
    // Each part by itself, so that none of them is a link that leads out.
    let at = real;
    for (const part of inside.split(sep)) {
      at = join(at, part);
      if (!existsSync(at)) await mkdir(at, { mode: 0o700 });
      if ((await realpath(at)) !== at)
        throw new BackupFault(`${at} is a link, and backups do not follow links.`);
    }
    if ((await readdir(wanted)).length > 0)
      throw new BackupFault(`${wanted} is not empty. A backup needs a folder of its own.`);
    return wanted;
  } catch (error) {
    if (error instanceof BackupFault) throw error;
    throw new BackupFault(`The folder ${wanted} cannot be made: ${(error as Error).message}`);
  }
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
