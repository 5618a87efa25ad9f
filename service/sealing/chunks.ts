import { createCipheriv, createDecipheriv, hkdfSync, randomBytes } from "node:crypto";
import { SealBroken } from "./broken.js";

/** The first byte of what is sealed in chunks; what is sealed whole begins with 1. */
const magic = 2;
const saltLength = 16;
const tagLength = 16;
const chunkLength = 64 * 1024;

/**
 * Seals bytes in chunks of 64 KiB, each with AES-256-GCM, so that a file is never whole in memory. Each file has a key of
 * its own (HKDF, RFC 5869, with a random salt), and the nonce of a chunk is its number and whether it is the last (the
 * STREAM construction of Hoang, Reyhanitabar, Rogaway and Vizár, 2015): none can be left out, put elsewhere or cut off
 * unnoticed.
 */
export async function* sealChunks(
  key: Buffer,
  bytes: AsyncIterable<Uint8Array>,
  bound: string,
): AsyncGenerator<Buffer> {
  const salt = randomBytes(saltLength);
  const own = keyOf(key, salt);
  yield Buffer.concat([Buffer.from([magic]), salt]);
  for await (const { chunk, number, last } of chunksOf(bytes, chunkLength)) {
    const cipher = createCipheriv("aes-256-gcm", own, nonceOf(number, last));
    cipher.setAAD(Buffer.from(bound));
    yield Buffer.concat([cipher.update(chunk), cipher.final(), cipher.getAuthTag()]);
  }
}

/**
 * Opens what was sealed in chunks; no byte comes out that was not proved genuine.
 * @throws SealBroken
 */
export async function* openChunks(
  key: Buffer,
  sealed: AsyncIterable<Uint8Array>,
  bound: string,
): AsyncGenerator<Buffer> {
  const reader = new HeadReader(sealed);
  const head = await reader.take(1 + saltLength);
  if (head[0] !== magic || head.length < 1 + saltLength) throw new SealBroken("These bytes are not sealed.");
  const own = keyOf(key, head.subarray(1));
  for await (const { chunk, number, last } of chunksOf(reader.rest(), chunkLength + tagLength)) {
    if (chunk.length < tagLength) throw broken();
    const decipher = createDecipheriv("aes-256-gcm", own, nonceOf(number, last));
    decipher.setAAD(Buffer.from(bound));
    decipher.setAuthTag(chunk.subarray(chunk.length - tagLength));
    try {
      yield Buffer.concat([decipher.update(chunk.subarray(0, chunk.length - tagLength)), decipher.final()]);
    } catch {
      throw broken();
    }
  }
}

/** Whether bytes that were sealed are in chunks. */
export const isInChunks = (first: number | undefined): boolean => first === magic;

const broken = (): SealBroken =>
  new SealBroken("A sealed file does not open: the key is not the one that sealed it, or it was changed.");

const keyOf = (key: Buffer, salt: Uint8Array): Buffer =>
  Buffer.from(hkdfSync("sha256", key, salt, "a file in chunks", 32));

function nonceOf(number: number, last: boolean): Buffer {
  const nonce = Buffer.alloc(12);
  nonce.writeUInt32BE(number, 7);
  nonce[11] = last ? 1 : 0;
  return nonce;
}

/** Bytes cut into chunks of one length; the last one may be shorter, and is there even if it is empty. */
async function* chunksOf(
  bytes: AsyncIterable<Uint8Array>,
  length: number,
): AsyncGenerator<{ chunk: Buffer; number: number; last: boolean }> {
  let held: Uint8Array[] = [];
  let size = 0;
  let number = 0;
  for await (const piece of bytes) {
    held.push(piece);
    size += piece.length;
    if (size <= length) continue;
    const all = Buffer.concat(held);
    let at = 0;
    // What fills a chunk to its end stays until it is known whether more comes.
    for (; all.length - at > length; at += length)
      yield { chunk: all.subarray(at, at + length), number: number++, last: false };
    held = [all.subarray(at)];
    size = all.length - at;
  }
  yield { chunk: Buffer.concat(held), number, last: true };
}

/** Reads some bytes off the beginning of a stream, and gives the rest as a stream. */
export class HeadReader {
  readonly #source: AsyncIterator<Uint8Array>;
  #held: Buffer = Buffer.alloc(0);

  constructor(source: AsyncIterable<Uint8Array>) {
    this.#source = source[Symbol.asyncIterator]();
  }

  /** So many bytes, or as many as there are. */
  async take(length: number): Promise<Buffer> {
    while (this.#held.length < length) {
      const next = await this.#source.next();
      if (next.done) break;
      this.#held = Buffer.concat([this.#held, next.value]);
    }
    const taken = this.#held.subarray(0, length);
    this.#held = this.#held.subarray(taken.length);
    return taken;
  }

  async *rest(): AsyncGenerator<Uint8Array> {
    try {
      if (this.#held.length > 0) yield this.#held;
      for (let next = await this.#source.next(); !next.done; next = await this.#source.next())
        yield next.value;
    } finally {
      await this.#source.return?.();
    }
  }
}
