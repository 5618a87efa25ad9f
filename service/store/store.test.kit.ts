import { mkdtemp, rm } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { emptySummary } from "@copper-kettle/core";
import { Sealer } from "../sealing/keys.js";
import { Blobs } from "./blobs.js";
import { execute, openDatabase, type Store } from "./database.js";
import { JournalStore } from "./journal.js";
import { migrate } from "./migrations.js";
import { defineModels } from "./models.js";
import { RunJournal } from "./run-journal.js";
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

  /** A run that has just been written, with an empty journal. */
  async addRun(id: string, { workflow = "w", version = 1 } = {}): Promise<RunJournal> {
    await execute(this.store.connection, "INSERT OR IGNORE INTO texts (digest, text) VALUES ('t', 't')");
    await execute(
      this.store.connection,
      "INSERT INTO runs (id, workflow, version, text, origin, state, trigger, created_at, unsure) VALUES (?, ?, ?, 't', ?, 'running', '{}', 0, '[]')",
      [id, workflow, version, id],
    );
    return new RunJournal(this.journals, id, workflow, 0, emptySummary());
  }

  async close(): Promise<void> {
    await this.writer.close();
    await this.store.close();
    await rm(this.folder, { recursive: true });
  }
}
