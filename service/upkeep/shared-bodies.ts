import { randomUUID } from "node:crypto";
import { existsSync } from "node:fs";
import { copyFile, link, mkdir, readdir, rename, rm, stat } from "node:fs/promises";
import { dirname, join } from "node:path";
import { BackupFault } from "./backup-fault.js";
import { digestOf } from "./manifest.js";

/**
 * The bodies of all backups, each once, in a folder beside them. A backup has links to those that it names, so that it is
 * whole by itself wherever it is copied.
 */
export class SharedBodies {
  readonly folder: string;

  /** @param root the folder of backups */
  constructor(root: string) {
    this.folder = join(root, ".bodies");
  }

  /**
   * Puts a body into a backup.
   * @throws BackupFault where the data folder has it no more
   */
  async give(digest: string, from: string, target: string): Promise<void> {
    const place = [digest.slice(0, 2), digest] as const;
    const [source, shared, given] = [from, this.folder, target].map((folder) => join(folder, ...place)) as [
      string,
      string,
      string,
    ];
    if (!existsSync(source))
      throw new BackupFault(`The data folder has lost the body ${digest}, which its database names.`);
    // One that was damaged since is no copy: it is taken anew.
    if (!existsSync(shared) || (await digestOf(shared)) !== digest) await copyWhole(source, shared);
    await mkdir(dirname(given), { recursive: true, mode: 0o700 });
    await link(shared, given).catch(() => copyFile(shared, given));
  }

  /** Removes those that no backup holds any more. */
  async prune(): Promise<void> {
    for (const part of await readdir(this.folder).catch(() => []))
      for (const name of await readdir(join(this.folder, part)).catch(() => [])) {
        const path = join(this.folder, part, name);
        if ((await stat(path)).nlink === 1) await rm(path, { force: true });
      }
  }
}

async function copyWhole(source: string, target: string): Promise<void> {
  await mkdir(dirname(target), { recursive: true, mode: 0o700 });
  const draft = `${target}.${randomUUID()}`;
  await copyFile(source, draft);
  await rename(draft, target);
}
