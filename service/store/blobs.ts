import { createHash, randomUUID } from "node:crypto";
import { existsSync } from "node:fs";
import { mkdir, open, readdir, readFile, rename, rm, stat } from "node:fs/promises";
import { syncFolder } from "../sealing/keys.js";
import { DamagedBody } from "./faults.js";
import { dirname, join } from "node:path";

/** A row that names a blob is durable within this time, in milliseconds. */
export const stillOnItsWay = 60_000;

/** Large bodies, in files named by the digest of what they hold. */
export class Blobs {
  /** When a digest was last asked to stay, in milliseconds since 1970; its row may still be on its way. */
  readonly #kept = new Map<string, number>();

  readonly #removing = new Map<string, Promise<void>>();

  constructor(readonly folder: string) {}

  /** Keeps bytes durably; returns their SHA-256 as hex. What is there already is not written twice. */
  async keep(bytes: Buffer): Promise<string> {
    const digest = createHash("sha256").update(bytes).digest("hex");
    const path = this.#path(digest);
    this.#kept.set(digest, Date.now());
    await this.#removing.get(digest);
    if (existsSync(path)) return digest;
    await mkdir(dirname(path), { recursive: true });
    const draft = `${path}.${randomUUID()}`;
    const handle = await open(draft, "w", 0o600);
    try {
      await handle.writeFile(bytes);
      await handle.sync();
    } finally {
      await handle.close();
    }
    await rename(draft, path);
    await syncFolder(dirname(path));
    return digest;
  }

  /**
   * The bytes of a digest.
   * @throws DamagedBody where they are gone, or are others
   */
  async read(digest: string): Promise<Buffer> {
    const path = this.#path(digest);
    const bytes = await readFile(path).catch((error: NodeJS.ErrnoException) => {
      if (error.code === "ENOENT") throw new DamagedBody(`The file ${path} is missing.`);
      throw error;
    });
    if (createHash("sha256").update(bytes).digest("hex") !== digest)
      throw new DamagedBody(`The file ${path} does not hold what it was written with.`);
    return bytes;
  }

  /** All bodies there are, and when each was written, in milliseconds since 1970. */
  async *all(): AsyncGenerator<{ digest: string; writtenAt: number }> {
    for (const part of await readdir(this.folder).catch(() => []))
      for (const digest of await readdir(join(this.folder, part)).catch(() => [])) {
        const about = await stat(join(this.folder, part, digest)).catch(() => undefined);
        if (about?.isFile()) yield { digest, writtenAt: about.mtimeMs };
      }
  }

  #path(digest: string): string {
    return join(this.folder, digest.slice(0, 2), digest);
  }

  /** Removes what no row names any more; false if it was asked for a moment ago. */
  async remove(digest: string): Promise<boolean> {
    const before = Date.now() - stillOnItsWay;
    for (const [known, at] of this.#kept) if (at < before) this.#kept.delete(known);
    if (this.#kept.has(digest)) return false;
    // Whoever keeps the same bytes meanwhile waits until they are gone, and writes them again.
    const removing = rm(this.#path(digest), { force: true }).finally(() => this.#removing.delete(digest));
    this.#removing.set(digest, removing);
    await removing;
    return true;
  }
}
