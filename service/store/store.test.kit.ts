import { mkdtemp, rm } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { Sealer } from "../sealing/keys.js";
import { Blobs } from "./blobs.js";
import { openDatabase, type Store } from "./database.js";
import { JournalStore } from "./journal.js";
import { migrate } from "./migrations.js";
import { defineModels } from "./models.js";
import { Writer } from "./writer.js";

/** A store on a folder of its own, up to date and empty. */
export class TestStore {
  readonly writer: Writer;
  readonly sealer: Sealer;
  readonly blobs: Blobs;
  readonly journals: JournalStore;

  private constructor(
    readonly folder: string,
    readonly store: Store,
  ) {
    this.writer = new Writer(store);
    this.sealer = new Sealer(Buffer.alloc(32, 7));
    this.sealer.create(1);
    this.blobs = new Blobs(join(folder, "blobs"));
    this.journals = new JournalStore(store, this.writer, this.blobs, this.sealer);
  }

  static async open(): Promise<TestStore> {
    const folder = await mkdtemp(join(tmpdir(), "ckettle-store-"));
    const store = await openDatabase(join(folder, "copper-kettle.sqlite"));
    defineModels(store.sequelize);
    await migrate(store);
    return new TestStore(folder, store);
  }

  async close(): Promise<void> {
    await this.writer.close();
    await this.store.close();
    await rm(this.folder, { recursive: true });
  }
}
