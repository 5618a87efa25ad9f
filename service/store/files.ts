import { RequestRefused, type FileAbout, type JsonObject } from "@copper-kettle/core";
import { createHash, randomBytes } from "node:crypto";
import type { Sealer } from "../sealing/keys.js";
import type { Blobs } from "./blobs.js";
import { FileRow } from "./models.js";
import type { Writer } from "./writer.js";

/** Bytes that belong to runs. Their ids are random: nobody can guess another run's file. */
export class FileStore {
  constructor(
    readonly writer: Writer,
    readonly blobs: Blobs,
    readonly sealer: Sealer,
  ) {}

  /** Keeps bytes for a run, sealed as a whole where a secret shows in them; what comes back is the value that steps see. */
  async keep(run: string, bytes: Uint8Array, { secret = false, ...about }: FileAbout): Promise<JsonObject> {
    const id = randomBytes(16).toString("base64url");
    const plain = Buffer.from(bytes);
    const sha256 = await this.blobs.keep(secret ? this.sealer.seal(plain, boundTo(id)) : plain);
    const row = {
      id,
      run,
      ...about,
      size: bytes.length,
      sha256,
      sealed: secret ? 1 : 0,
      createdAt: Date.now(),
    };
    await this.writer.write((transaction) => FileRow.create(row, { transaction }));
    // Of what is secret not even a digest is shown: short contents could be found by trying.
    return {
      file: id,
      ...about,
      size: bytes.length,
      sha256: secret ? this.sealer.digest(sha256Of(plain)) : sha256,
    };
  }

  /**
   * The bytes of a file that a run has.
   * @throws RequestRefused where it has none of this id
   */
  async read(run: string, id: string): Promise<Uint8Array> {
    const row = await FileRow.findOne({ where: { id, run } });
    if (!row) throw new RequestRefused("bad-request", `This run has no file "${id}".`);
    const bytes = await this.blobs.read(row.sha256);
    return row.sealed ? this.sealer.openBytes(bytes, boundTo(id)) : bytes;
  }
}

const sha256Of = (bytes: Buffer): string => createHash("sha256").update(bytes).digest("hex");
export const boundTo = (id: string): string => `file:${id}`;
