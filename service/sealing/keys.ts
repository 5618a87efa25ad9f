import { HeadReader, isInChunks, openChunks, sealChunks } from "./chunks.js";
import { SealBroken } from "./broken.js";
import { createCipheriv, createDecipheriv, createHmac, randomBytes } from "node:crypto";
import { existsSync, readFileSync } from "node:fs";
import { mkdir, open } from "node:fs/promises";
import { dirname } from "node:path";

const magic = 1;
const ivLength = 12;
const tagLength = 16;

/** Seals bytes with AES-256-GCM (NIST SP 800-38D) under a key; `bound` is what the seal is tied to. */
function sealUnder(key: Buffer, plain: Buffer, bound: string): Buffer {
  const iv = randomBytes(ivLength);
  const cipher = createCipheriv("aes-256-gcm", key, iv);
  cipher.setAAD(Buffer.from(bound));
  const sealed = Buffer.concat([cipher.update(plain), cipher.final()]);
  return Buffer.concat([Buffer.from([magic]), iv, cipher.getAuthTag(), sealed]);
}

function openUnder(key: Buffer, sealed: Buffer, bound: string): Buffer {
  if (sealed[0] !== magic || sealed.length < 1 + ivLength + tagLength)
    throw new SealBroken("These bytes are not sealed.");
  const decipher = createDecipheriv("aes-256-gcm", key, sealed.subarray(1, 1 + ivLength));
  decipher.setAAD(Buffer.from(bound));
  decipher.setAuthTag(sealed.subarray(1 + ivLength, 1 + ivLength + tagLength));
  try {
    return Buffer.concat([decipher.update(sealed.subarray(1 + ivLength + tagLength)), decipher.final()]);
  } catch {
    throw new SealBroken(
      "A sealed value does not open: the key is not the one that sealed it, or it was changed.",
    );
  }
}

/** Seals and opens what is secret in the store. Data keys lie wrapped in the database; the key that wraps them does not. */
export class Sealer {
  readonly #keys = new Map<number, Buffer>();
  #current = 0;
  #next: { id: number; key: Buffer } | undefined;

  #master: Buffer;

  constructor(master: Buffer) {
    this.#master = master;
  }

  /** Takes in a data key from the store; the newest seals. */
  load(id: number, wrapped: Buffer): void {
    this.#keys.set(id, openUnder(this.#master, wrapped, `data-key:${id}`));
    this.#current = Math.max(this.#current, id);
  }

  /** A new data key, wrapped. */
  create(id: number): Buffer {
    const key = randomBytes(32);
    this.#keys.set(id, key);
    this.#current = Math.max(this.#current, id);
    return sealUnder(this.#master, key, `data-key:${id}`);
  }

  /** Every data key, and a new one, wrapped under another master key. */
  rewrap(master: Buffer): { id: number; bytes: Buffer }[] {
    const id = Math.max(0, ...this.#keys.keys()) + 1;
    this.#next = { id, key: randomBytes(32) };
    return [...this.#keys, [id, this.#next.key] as const].map(([at, key]) => ({
      id: at,
      bytes: sealUnder(master, key, `data-key:${at}`),
    }));
  }

  /** Takes over a master key whose wrapped keys are durable. */
  adopt(master: Buffer): void {
    this.#master = master;
    if (!this.#next) return;
    this.#keys.set(this.#next.id, this.#next.key);
    this.#current = this.#next.id;
    this.#next = undefined;
  }

  /**
   * What stands for a text that must not be shown: the same for the same text, for as long as there is the first data key.
   * Without the key it cannot be found by trying (HMAC-SHA-256, RFC 2104).
   */
  digest(text: string): string {
    const key = this.#keys.get(Math.min(...this.#keys.keys()));
    if (!key) throw new Error("There is no data key.");
    return createHmac("sha256", key).update("digest\n").update(text).digest("base64url");
  }

  /** @param bound what the value belongs to, such as its run and sequence; it opens nowhere else */
  seal(plain: string | Uint8Array, bound: string): Buffer {
    const key = this.#keys.get(this.#current);
    if (!key) throw new Error("There is no data key.");
    return Buffer.concat([numbered(this.#current), sealUnder(key, Buffer.from(plain as string), bound)]);
  }

  /** Seals bytes that come in pieces, in chunks. */
  async *sealPieces(bytes: AsyncIterable<Uint8Array>, bound: string): AsyncGenerator<Buffer> {
    const key = this.#keys.get(this.#current);
    if (!key) throw new Error("There is no data key.");
    yield numbered(this.#current);
    yield* sealChunks(key, bytes, bound);
  }

  /**
   * Opens bytes that were sealed in chunks, or, as older ones are, whole.
   * @throws SealBroken
   */
  async *openPieces(sealed: AsyncIterable<Uint8Array>, bound: string): AsyncGenerator<Buffer> {
    const reader = new HeadReader(sealed);
    const head = await reader.take(5);
    const all = chained(head.subarray(4), reader.rest());
    const key = head.length < 5 ? undefined : this.#keys.get(head.readUInt32BE(0));
    if (!key) throw new SealBroken("The data key of a sealed value is missing.");
    if (isInChunks(head[4])) return yield* openChunks(key, all, bound);
    const parts: Uint8Array[] = [];
    for await (const piece of all) parts.push(piece);
    yield openUnder(key, Buffer.concat(parts), bound);
  }

  /** @throws SealBroken */
  open(sealed: Buffer, bound: string): string {
    return this.openBytes(sealed, bound).toString();
  }

  /** @throws SealBroken */
  openBytes(sealed: Buffer, bound: string): Buffer {
    const key = this.#keys.get(sealed.readUInt32BE(0));
    if (!key) throw new SealBroken("The data key of a sealed value is missing.");
    return openUnder(key, sealed.subarray(4), bound);
  }
}

/** The number of a data key, in four bytes. */
function numbered(id: number): Buffer {
  const bytes = Buffer.alloc(4);
  bytes.writeUInt32BE(id);
  return bytes;
}

async function* chained(first: Uint8Array, rest: AsyncIterable<Uint8Array>): AsyncGenerator<Uint8Array> {
  yield first;
  yield* rest;
}

/** The file of the sealing key is gone, and what it sealed is there. */
export class KeyLost extends Error {
  override name = "KeyLost";
}

/**
 * The master key: from the environment (32 bytes in Base64), or from a file of mode 0600 that is made at first.
 * @param needed whether there is something that only the right key opens: then none is made
 * @throws Error when the key has not 32 bytes; KeyLost
 */
export async function masterKey(
  file: string,
  fromEnvironment: string | undefined,
  needed = false,
): Promise<Buffer> {
  let text = fromEnvironment;
  if (!text && existsSync(file)) text = readFileSync(file, "utf8").trim();
  if (!text) {
    if (needed)
      throw new KeyLost(
        `The sealing key ${file} is missing, and without it no secret of this data folder can be opened. Put it back from a backup, or give it in COPPER_KETTLE_KEY.`,
      );
    text = randomBytes(32).toString("base64");
    await writePrivate(file, `${text}\n`);
  }
  const key = Buffer.from(text, "base64");
  if (key.length !== 32)
    throw new Error(
      `The sealing key must be 32 bytes in Base64; ${fromEnvironment ? "COPPER_KETTLE_KEY" : file} holds ${key.length}.`,
    );
  return key;
}

/** Writes a file that only its owner can read, durably: its bytes, and its name in its folder. */
export async function writePrivate(file: string, text: string): Promise<void> {
  const folder = dirname(file);
  await mkdir(folder, { recursive: true, mode: 0o700 });
  const handle = await open(file, "w", 0o600);
  try {
    await handle.chmod(0o600);
    await handle.writeFile(text);
    await handle.sync();
  } finally {
    await handle.close();
  }
  await syncFolder(folder);
}

/** Makes the names in a folder durable. */
export async function syncFolder(folder: string): Promise<void> {
  const handle = await open(folder, "r");
  await handle.sync().finally(() => handle.close());
}
