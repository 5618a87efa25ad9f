import { SealBroken } from "./broken.js";
import { existsSync } from "node:fs";
import { randomBytes } from "node:crypto";
import { rename } from "node:fs/promises";
import { dirname } from "node:path";
import { OneAtATime } from "../one-at-a-time.js";
import { dataKeys, putDataKeys } from "../store/data-keys.js";
import type { DataKeyRecord } from "../store/models.js";
import type { Writer } from "../store/writer.js";
import { KeyLost, masterKey, Sealer, syncFolder, writePrivate } from "./keys.js";

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
    readonly turns: OneAtATime,
  ) {}

  /**
   * Opens the data keys; makes the first one.
   * @throws SealBroken when the master key is not the one that wrapped them; KeyLost
   */
  static async open(
    writer: Writer,
    file: string,
    key: string | undefined,
    turns = new OneAtATime(),
  ): Promise<Sealing> {
    const rows = await dataKeys();
    const sealer = await openWith(rows, () => masterKey(file, key, rows.length > 0)).catch(
      async (error: unknown) => {
        if (!(error instanceof SealBroken || error instanceof KeyLost) || key !== undefined) throw error;
        return takeNext(file, rows, error);
      },
    );
    if (rows.length === 0) {
      await putDataKeys(writer, [{ id: 1, bytes: sealer.create(1) }]);
    }
    return new Sealing(sealer, writer, file, key !== undefined, turns);
  }

  /**
   * Makes a new master key and wraps every data key again; a new data key seals from now on. What is sealed stays as it
   * is. One change at a time, and none beside a backup. The order survives a kill at any moment: the new key is on disk
   * before the commit, and the old one is there until the new one was seen to open what was committed.
   * @returns how many data keys there are
   * @throws KeyNotOurs
   */
  rotate(): Promise<number> {
    if (this.fromEnvironment)
      return Promise.reject(
        new KeyNotOurs("The sealing key comes from COPPER_KETTLE_KEY; it cannot be changed here."),
      );
    return this.turns.run(() => this.#rotate());
  }

  async #rotate(): Promise<number> {
    const next = nextTo(this.file);
    await this.#settle();
    const master = randomBytes(32);
    await writePrivate(next, `${master.toString("base64")}\n`);
    const wrapped = this.sealer.rewrap(master);
    await putDataKeys(this.writer, wrapped);
    await openWith(await dataKeys(), async () => master);
    await rename(next, this.file);
    await syncFolder(dirname(this.file));
    this.sealer.adopt(master);
    return wrapped.length;
  }

  /** A change that failed may have been committed all the same: then the key beside is the right one. */
  async #settle(): Promise<void> {
    if (!existsSync(nextTo(this.file))) return;
    const rows = await dataKeys();
    try {
      await openWith(rows, () => masterKey(this.file, undefined, true));
    } catch (error) {
      if (!(error instanceof SealBroken)) throw error;
      await takeNext(this.file, rows, error);
      this.sealer.adopt(await masterKey(this.file, undefined, true));
    }
  }
}

const nextTo = (file: string): string => `${file}.next`;

/** A change was cut off between its commit and the renaming: the new key lies beside, and takes its place. */
async function takeNext(file: string, rows: DataKeyRecord[], error: unknown): Promise<Sealer> {
  const next = nextTo(file);
  if (!existsSync(next)) throw error;
  const opened = await openWith(rows, () => masterKey(next, undefined, true));
  await rename(next, file);
  await syncFolder(dirname(file));
  return opened;
}

/** @throws SealBroken */
async function openWith(rows: DataKeyRecord[], key: () => Promise<Buffer>): Promise<Sealer> {
  const sealer = new Sealer(await key());
  for (const row of rows) sealer.load(row.id, row.wrapped);
  return sealer;
}
