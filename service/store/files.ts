import { RequestRefused, type JsonObject } from "@copper-kettle/core";
import { randomBytes } from "node:crypto";
import type { Blobs } from "./blobs.js";
import { FileRow } from "./models.js";
import type { Writer } from "./writer.js";

/** Bytes that belong to runs. Their ids are random: nobody can guess another run's file. */
export class FileStore {
  constructor(
    readonly writer: Writer,
    readonly blobs: Blobs,
  ) {}

  /** Keeps bytes for a run; what comes back is the file value that its steps see. */
  async keep(
    run: string,
    bytes: Uint8Array,
    about: { name: string; mediaType: string },
  ): Promise<JsonObject> {
    const sha256 = await this.blobs.keep(Buffer.from(bytes));
    const id = randomBytes(16).toString("base64url");
    const row = { id, run, ...about, size: bytes.length, sha256, createdAt: Date.now() };
    await this.writer.write((transaction) => FileRow.create(row, { transaction }));
    return { file: id, ...about, size: bytes.length, sha256 };
  }

  /**
   * The bytes of a file that a run has.
   * @throws RequestRefused where it has none of this id
   */
  async read(run: string, id: string): Promise<Uint8Array> {
    const row = await FileRow.findOne({ where: { id, run } });
    if (!row) throw new RequestRefused("bad-request", `This run has no file "${id}".`);
    return this.blobs.read(row.sha256);
  }
}
