import { copyFile, mkdir, readdir, realpath, rm, writeFile } from "node:fs/promises";
import { existsSync } from "node:fs";
import { isAbsolute, join, relative, resolve, sep } from "node:path";
import type { OneAtATime } from "../one-at-a-time.js";
import { openReader, selectOn } from "../store/database.js";
import type { Writer } from "../store/writer.js";
import { BackupFault } from "./backup-fault.js";
import { copyDatabase } from "./copy-database.js";
import { writeSums } from "./manifest.js";
import { SharedBodies } from "./shared-bodies.js";

/** Found in a data folder that came from a backup: its unfinished runs are parked until somebody resumes them. */
export const restoredMark = "restored.json";

export interface BackupParts {
  dataFolder: string;
  /** The writer of the database. */
  writer: Writer;
  /** The folder under which backups are written, and nowhere else. */
  root: string;
  version: string;
  /** One backup at a time, and none beside a change of the sealing key. */
  turns: OneAtATime;
  /** Lets nothing be forgotten meanwhile. */
  holding<T>(work: () => Promise<T>): Promise<T>;
}

export interface BackupWish {
  /** A name or a path under the root; left out: a new one. */
  folder?: string | undefined;
  /** Whether the sealing key is copied too: without it no secret in the copy opens, with it all do. */
  withKey?: boolean;
}

type Reader = Awaited<ReturnType<typeof openReader>>;

const databaseName = "copper-kettle.sqlite";
const keyName = "sealing.key";

/** The file of a backup that is written last: without it a folder is not a backup. */
const note = "backup.json";

/**
 * Writes a consistent copy while the service runs: the database as of one moment, then the bodies that it names, of which
 * none can be missing, since each is there before its row. Those that another backup holds are linked, not copied. The
 * sealing key is copied only if that is asked for. A list with the digest of each file lies beside them.
 * @throws BackupFault
 */
export function backUp(
  { dataFolder, writer, root, version, turns, holding }: BackupParts,
  { folder = new Date().toISOString().replace(/[:.]/g, "-"), withKey = false }: BackupWish = {},
): Promise<{ folder: string; bytes: number; files: number; key: boolean }> {
  return turns.run(() =>
    holding(async () => {
      const target = await targetOf(root, folder);
      try {
        const copy = join(target, databaseName);
        await copyDatabase(writer, copy);
        const key = withKey && existsSync(join(dataFolder, keyName));
        if (key) await copyFile(join(dataFolder, keyName), join(target, keyName));
        const { counts, digests } = await withReader(copy, async (reader) => ({
          counts: await countsOf(reader),
          digests: await digestsOf(reader),
        }));
        const bodies = new SharedBodies(await realpath(root));
        for (const digest of digests)
          await bodies.give(digest, join(dataFolder, "blobs"), join(target, "blobs"));
        await bodies.prune();
        const { sums, bytes, files } = await writeSums(target);
        const at = new Date().toISOString();
        await writeFile(
          join(target, note),
          `${JSON.stringify({ version, at, key, bytes, files, counts, sums })}\n`,
        );
        return { folder: target, bytes, files, key };
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

async function withReader<T>(file: string, work: (reader: Reader) => Promise<T>): Promise<T> {
  const reader = await openReader(file);
  try {
    return await work(reader);
  } finally {
    await new Promise<void>((resolve) => reader.close(() => resolve()));
  }
}

/** The digests of the bodies that a database names. */
async function digestsOf(reader: Reader): Promise<string[]> {
  const named = await selectOn<{ digest: string }>(
    reader,
    `SELECT entries_blob AS digest FROM journal WHERE entries_blob IS NOT NULL
     UNION SELECT sealed_blob FROM journal WHERE sealed_blob IS NOT NULL
     UNION SELECT sha256 FROM files UNION SELECT document FROM api_revisions UNION SELECT original FROM api_revisions`,
  );
  return named.map(({ digest }) => digest);
}

async function countsOf(reader: Reader): Promise<Record<string, number>> {
  const [counts] = await selectOn<Record<string, number>>(
    reader,
    `SELECT (SELECT count(*) FROM workflows) AS workflows, (SELECT count(*) FROM runs) AS runs,
       (SELECT count(*) FROM credentials) AS credentials`,
  );
  return counts ?? {};
}
