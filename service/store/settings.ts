import { parseJson, printJson, type Json } from "@copper-kettle/core";
import type { Sealer } from "../sealing/keys.js";
import { execute, select } from "./database.js";
import type { Writer } from "./writer.js";

/** Settings of the service, by name; sealed, since some hold a password or a signing secret. */
export class SettingStore {
  readonly #values = new Map<string, Json>();

  constructor(
    readonly writer: Writer,
    readonly sealer: Sealer,
  ) {}

  async loadAll(): Promise<void> {
    const rows = await select<{ name: string; value: Buffer }>(
      this.writer.store,
      "SELECT name, value FROM settings",
    );
    for (const { name, value } of rows)
      this.#values.set(name, parseJson(this.sealer.open(value, `setting:${name}`)));
  }

  get(name: string): Json | undefined {
    return this.#values.get(name);
  }

  put(name: string, value: Json): Promise<void> {
    return this.putAll({ [name]: value });
  }

  /** Stores several settings in one transaction, and what else belongs into it. */
  async putAll(values: Record<string, Json>, within?: () => Promise<void>): Promise<void> {
    await this.writer.write(async () => {
      for (const [name, value] of Object.entries(values))
        await execute(
          this.writer.store.connection,
          "INSERT OR REPLACE INTO settings (name, value) VALUES (?, ?)",
          [name, this.sealer.seal(printJson(value), `setting:${name}`)],
        );
      await within?.();
    });
    for (const [name, value] of Object.entries(values)) this.#values.set(name, value);
  }
}
