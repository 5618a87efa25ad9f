import { EventEmitter } from "node:events";
import type { Unit, Writer } from "./writer.js";
import { execute, select } from "./database.js";

/**
 * How often each credential became usable: somebody signed in, a token came, its settings were changed. A run that waits
 * for a credential remembers the count that it saw.
 */
export class UsableCredentials {
  readonly events = new EventEmitter<{ usable: [credential: string] }>();
  readonly #times = new Map<string, number>();

  constructor(readonly writer: Writer) {}

  async loadAll(): Promise<void> {
    const rows = await select<{ credential: string; times: number }>(
      this.writer.store,
      "SELECT credential, times FROM usable",
    );
    for (const { credential, times } of rows) this.#times.set(credential, times);
  }

  times(credential: string): number {
    return this.#times.get(credential) ?? 0;
  }

  /** Counts once more, in the transaction that makes it usable, and wakes whoever waits for it. */
  async note(credential: string, unit: Unit): Promise<void> {
    await execute(
      this.writer.store.connection,
      "INSERT INTO usable (credential, times) VALUES (?, 1) ON CONFLICT (credential) DO UPDATE SET times = times + 1",
      [credential],
    );
    unit.comes({ kind: "credential", name: credential });
    unit.after(() => {
      this.#times.set(credential, this.times(credential) + 1);
      this.events.emit("usable", credential);
    });
  }
}
