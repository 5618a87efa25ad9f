import { createHash, randomUUID } from "node:crypto";
import { createReadStream, existsSync } from "node:fs";
import { mkdir, open, readdir, readFile, rename, rm, stat } from "node:fs/promises";
import { syncFolder } from "../sealing/keys.js";
import { DamagedBody } from "./faults.js";
import { dirname, join } from "node:path";

/** A row that names a blob is durable within this time, in milliseconds. */
export const stillOnItsWay = 60_000;

const missing = (path: string): DamagedBody => new DamagedBody(`The file ${path} is missing.`);
const changed = (path: string): DamagedBody =>
  new DamagedBody(`The file ${path} does not hold what it was written with.`);

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

  /** Keeps bytes that come in pieces, as `keep` does; returns their digest and how many they are. */
  async keepPieces(pieces: AsyncIterable<Uint8Array>): Promise<{ digest: string; size: number }> {
    const name = `${randomUUID()}.part`;
    const draft = this.#path(name);
    await mkdir(dirname(draft), { recursive: true });
    const handle = await open(draft, "w", 0o600);
    const hash = createHash("sha256");
    let size = 0;
    try {
      for await (const piece of pieces) {
        hash.update(piece);
        size += piece.length;
        await handle.write(piece);
      }
      await handle.sync();
    } catch (error) {
      await rm(draft, { force: true });
      throw error;
    } finally {
      await handle.close();
    }
    const digest = hash.digest("hex");
    const path = this.#path(digest);
    this.#kept.set(digest, Date.now());
    await this.#removing.get(digest);
    if (existsSync(path)) await rm(draft, { force: true });
    else {
      await mkdir(dirname(path), { recursive: true });
      await rename(draft, path);
      await syncFolder(dirname(path));
    }
    return { digest, size };
  }

  /**
   * The bytes of a digest in pieces. The last piece comes only when all of them are what was written: whoever sends them
   * on never sends all of a damaged body.
   * @throws DamagedBody where they are gone, or are others
   */
  async *pieces(digest: string): AsyncGenerator<Uint8Array> {
    const path = this.#path(digest);
    const hash = createHash("sha256");
    let held: Buffer | undefined;
    try {
      for await (const piece of createReadStream(path) as AsyncIterable<Buffer>) {
        if (held) yield held;
        hash.update(piece);
        held = piece;
      }
    } catch (error) {
      throw (error as NodeJS.ErrnoException).code === "ENOENT" ? missing(path) : error;
    }
    if (hash.digest("hex") !== digest) throw changed(path);
    if (held) yield held;
  }

  /**
   * The bytes of a digest.
   * @throws DamagedBody where they are gone, or are others
   */
  async read(digest: string): Promise<Buffer> {
    const path = this.#path(digest);
    const bytes = await readFile(path).catch((error: NodeJS.ErrnoException) => {
      if (error.code === "ENOENT") throw missing(path);
      throw error;
    });
    if (createHash("sha256").update(bytes).digest("hex") !== digest) throw changed(path);
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
