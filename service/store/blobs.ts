import { createHash, randomUUID } from "node:crypto";
import { existsSync } from "node:fs";
import { mkdir, open, readFile, rename } from "node:fs/promises";
import { dirname, join } from "node:path";

/** Large bodies, in files named by the digest of what they hold. */
export class Blobs {
  constructor(readonly folder: string) {}

  /** Keeps bytes durably; returns their SHA-256 as hex. What is there already is not written twice. */
  async keep(bytes: Buffer): Promise<string> {
    const digest = createHash("sha256").update(bytes).digest("hex");
    const path = this.#path(digest);
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
}
