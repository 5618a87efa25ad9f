import { createHash, randomUUID } from "node:crypto";
import { existsSync } from "node:fs";
import { mkdir, open, readFile, rename, rm } from "node:fs/promises";
import { dirname, join } from "node:path";

/** A row that names a blob is durable within this time, in milliseconds. */
const stillOnItsWay = 60_000;

/** Large bodies, in files named by the digest of what they hold. */
export class Blobs {
  /** When a digest was last asked to be kept, in milliseconds since 1970; its row may still be on its way. */
  readonly #kept = new Map<string, number>();

  constructor(readonly folder: string) {}

  /** Keeps bytes durably; returns their SHA-256 as hex. What is there already is not written twice. */
  async keep(bytes: Buffer): Promise<string> {
    const digest = createHash("sha256").update(bytes).digest("hex");
    const path = this.#path(digest);
    this.#kept.set(digest, Date.now());
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
    const folder = await open(dirname(path), "r");
    await folder.sync().finally(() => folder.close());
    return digest;
  }

  read(digest: string): Promise<Buffer> {
    return readFile(this.#path(digest));
  }

  #path(digest: string): string {
    return join(this.folder, digest.slice(0, 2), digest);
  }

  /** Removes what no row names any more; false where it was kept a moment ago. */
  async remove(digest: string): Promise<boolean> {
    const before = Date.now() - stillOnItsWay;
    for (const [known, at] of this.#kept) if (at < before) this.#kept.delete(known);
    if (this.#kept.has(digest)) return false;
    await rm(this.#path(digest), { force: true });
    return true;
  }
}
