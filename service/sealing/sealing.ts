import { existsSync } from "node:fs";
import { randomBytes } from "node:crypto";
import { rename } from "node:fs/promises";
import { DataKeyRow } from "../store/models.js";
import type { Writer } from "../store/writer.js";
import { masterKey, Sealer, SealBroken, writePrivate } from "./keys.js";

/** The key comes from the environment, so only whoever set it can change it. */
export class KeyNotOurs extends Error {
  override name = "KeyNotOurs";
}

/** The sealer of an installation: opens with its master key and data keys, and changes the master key while running. */
export class Sealing {
  private constructor(
    readonly sealer: Sealer,
    readonly writer: Writer,
    readonly file: string,
    readonly fromEnvironment: boolean,
  ) {}

  /**
   * Opens the data keys; makes the first one.
   * @throws SealBroken when the master key is not the one that wrapped them
   */
  static async open(writer: Writer, file: string, key: string | undefined): Promise<Sealing> {
    const rows = await DataKeyRow.findAll({ order: [["id", "ASC"]] });
    const sealer = await openWith(rows, await masterKey(file, key)).catch(async (error: unknown) => {
      // A rotation was cut off between the commit and the renaming: the new key lies beside.
      const next = `${file}.next`;
      if (!(error instanceof SealBroken) || key !== undefined || !existsSync(next)) throw error;
      const opened = await openWith(rows, await masterKey(next, undefined));
      await rename(next, file);
      return opened;
    });
    if (rows.length === 0) {
      const wrapped = sealer.create(1);
      await writer.write((transaction) =>
        DataKeyRow.create({ id: 1, wrapped, createdAt: Date.now() }, { transaction }),
      );
    }
    return new Sealing(sealer, writer, file, key !== undefined);
  }

  /**
   * Makes a new master key and wraps every data key anew; a new data key seals from now on. What is sealed stays as it
   * is. The order holds a kill at any moment: the new key is on disk before the commit, the old one until after it.
   * @returns how many data keys there are
   */
  async rotate(): Promise<number> {
    if (this.fromEnvironment)
      throw new KeyNotOurs("The sealing key comes from COPPER_KETTLE_KEY; it cannot be changed from here.");
    const master = randomBytes(32);
    const next = `${this.file}.next`;
    await writePrivate(next, `${master.toString("base64")}\n`);
    const wrapped = this.sealer.rewrap(master);
    await this.writer.write(async (transaction) => {
      for (const { id, bytes } of wrapped) {
        const known = await DataKeyRow.findByPk(id, { transaction });
        if (known) await known.update({ wrapped: bytes }, { transaction });
        else await DataKeyRow.create({ id, wrapped: bytes, createdAt: Date.now() }, { transaction });
      }
    });
    await rename(next, this.file);
    this.sealer.adopt(master);
    return wrapped.length;
  }
}

async function openWith(rows: DataKeyRow[], master: Buffer): Promise<Sealer> {
  const sealer = new Sealer(master);
  for (const row of rows) sealer.load(row.id, row.wrapped);
  return sealer;
}
