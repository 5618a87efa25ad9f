import { DataKeyRow, type DataKeyRecord } from "./models.js";
import type { Writer } from "./writer.js";

/** The data keys, each wrapped with the master key. */
export function dataKeys(): Promise<DataKeyRecord[]> {
  return DataKeyRow.findAll({ order: [["id", "ASC"]], raw: true });
}

/** Stores data keys as they are wrapped now; those that are new with those that are there, all in one commit. */
export function putDataKeys(writer: Writer, keys: readonly { id: number; bytes: Buffer }[]): Promise<void> {
  return writer.write(async (transaction) => {
    for (const { id, bytes } of keys) {
      const known = await DataKeyRow.findByPk(id, { transaction });
      if (known) await known.update({ wrapped: bytes }, { transaction });
      else await DataKeyRow.create({ id, wrapped: bytes, createdAt: Date.now() }, { transaction });
    }
  });
}
