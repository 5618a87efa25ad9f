import { describe, expect, it } from "vitest";
import fc from "fast-check";
import { Sealer } from "./keys.js";

const chunk = 64 * 1024;
const sealer = new Sealer(Buffer.alloc(32, 7));
sealer.create(1);

async function* piecesOf(bytes: Buffer, length: number): AsyncGenerator<Uint8Array> {
  for (let at = 0; at < bytes.length; at += length) yield bytes.subarray(at, at + length);
}
async function joined(pieces: AsyncIterable<Uint8Array>): Promise<Buffer> {
  const parts: Uint8Array[] = [];
  for await (const piece of pieces) parts.push(piece);
  return Buffer.concat(parts);
}
const sealed = (bytes: Buffer, length = 10_000): Promise<Buffer> =>
  joined(sealer.sealPieces(piecesOf(bytes, length), "file:a"));
const opened = (bytes: Buffer, length = 10_000, bound = "file:a"): Promise<Buffer> =>
  joined(sealer.openPieces(piecesOf(bytes, length), bound));

describe("bytes that are sealed in chunks", () => {
  it("open to what they were, of any length, in pieces of any length", async () => {
    for (const size of [0, 1, chunk - 1, chunk, chunk + 1, 2 * chunk, 3 * chunk + 7]) {
      const bytes = Buffer.alloc(size, "stays");
      expect((await opened(await sealed(bytes))).equals(bytes)).toBe(true);
    }
    await fc.assert(
      fc.asyncProperty(
        fc.nat(3 * chunk),
        fc.integer({ min: 1, max: 2 * chunk }),
        fc.integer({ min: 1, max: 2 * chunk }),
        async (size, given, read) => {
          const bytes = Buffer.alloc(size, "huts");
          expect((await opened(await sealed(bytes, given), read)).equals(bytes)).toBe(true);
        },
      ),
      { numRuns: 30 },
    );
  });

  it("do not open when one was changed, cut off, left out, put elsewhere or added, or for another file", async () => {
    const bytes = await sealed(Buffer.alloc(3 * chunk, "corrie"));
    const [head, stride] = [21, chunk + 16];
    const part = (number: number): Buffer =>
      bytes.subarray(head + number * stride, head + (number + 1) * stride);
    const begin = bytes.subarray(0, head);
    const changed = Buffer.from(bytes);
    changed[head + 5] = (changed[head + 5] as number) ^ 1;
    for (const [what, wrong] of [
      ["changed", changed],
      ["cut off", bytes.subarray(0, head + 2 * stride)],
      ["cut within", bytes.subarray(0, bytes.length - 1)],
      ["left out", Buffer.concat([begin, part(0), part(2)])],
      ["put elsewhere", Buffer.concat([begin, part(1), part(0), part(2)])],
      ["added", Buffer.concat([bytes, part(2)])],
      ["nothing", bytes.subarray(0, head)],
      ["no head", bytes.subarray(0, 10)],
    ] as const)
      await expect(opened(wrong), what).rejects.toThrow(/does not open|not sealed/);
    await expect(opened(bytes, 10_000, "file:b")).rejects.toThrow("does not open");
    expect((await opened(Buffer.concat([begin, part(0), part(1), part(2)]))).length).toBe(3 * chunk);
  });

  it("open as well when they were sealed whole, as older files are", async () => {
    const whole = sealer.seal(Buffer.alloc(100_000, "older"), "file:a");
    expect((await opened(whole)).equals(Buffer.alloc(100_000, "older"))).toBe(true);
  });
});
