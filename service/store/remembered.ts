import {
  parseJson,
  printJson,
  type JsonObject,
  type Remembered,
  type RememberedChange,
  type Path,
} from "@copper-kettle/core";
import type { Sealer } from "../sealing/keys.js";
import { execute, select } from "./database.js";
import type { KeyedStatement } from "./statements.js";
import type { Writer } from "./writer.js";

interface Value {
  values: JsonObject;
  /** Places that hold secrets, and the values as people may see them. */
  masked: Path[];
  shown: JsonObject;
  expires: number | null;
  changedAt: number;
}

/** Values that outlive runs, by workflow and key; in memory, since expressions read them. */
export class RememberedStore {
  readonly #values = new Map<string, Map<string, Value>>();

  constructor(
    readonly writer: Writer,
    readonly sealer: Sealer,
    readonly now: () => number,
  ) {}

  async loadAll(): Promise<void> {
    this.#values.clear();
    const rows = await select<{
      workflow: string;
      key: string;
      data: string;
      sealed: Buffer | null;
      masked: string;
      expires_at: number | null;
      changed_at: number;
    }>(
      this.writer.store,
      'SELECT workflow, "key", data, sealed, masked, expires_at, changed_at FROM remembered',
    );
    for (const row of rows)
      this.#of(row.workflow).set(row.key, {
        values: parseJson(
          row.sealed ? this.sealer.open(row.sealed, boundTo(row.workflow, row.key)) : row.data,
        ) as JsonObject,
        masked: parseJson(row.masked) as unknown as Path[],
        shown: parseJson(row.data) as JsonObject,
        expires: row.expires_at,
        changedAt: row.changed_at,
      });
  }

  /** The values as the runs of one workflow see them. */
  of(workflow: string): Remembered {
    const values = this.#of(workflow);
    return {
      read: (key) => {
        const value = values.get(key);
        if (!value || (value.expires !== null && value.expires <= this.now()))
          return { values: {}, masked: [] };
        return { values: value.values, masked: value.masked };
      },
      change: ({ key, values: next, masked, shown, expires }) =>
        void values.set(key, {
          values: next,
          masked,
          shown,
          expires: expires ?? null,
          changedAt: this.now(),
        }),
    };
  }

  list(workflow: string): ({ key: string } & Value)[] {
    const now = this.now();
    return [...this.#of(workflow)]
      .map(([key, value]) => ({ key, ...value }))
      .filter(({ expires }) => expires === null || expires > now)
      .sort((a, b) => (a.key < b.key ? -1 : 1));
  }

  /** Forgets one key. */
  async remove(workflow: string, key: string): Promise<boolean> {
    const keys = this.#of(workflow);
    const value = keys.get(key);
    if (!value) return false;
    await this.writer.write(async () => {
      await execute(this.writer.store.connection, 'DELETE FROM remembered WHERE workflow = ? AND "key" = ?', [
        workflow,
        key,
      ]);
    });
    // A run may have set it again meanwhile.
    if (keys.get(key) === value) keys.delete(key);
    return true;
  }

  /** Forgets what has run out. */
  async prune(): Promise<void> {
    const now = this.now();
    const gone = [...this.#values].flatMap(([workflow, keys]) =>
      [...keys]
        .filter(([, { expires }]) => expires !== null && expires <= now)
        .map(([key]) => ({ workflow, key })),
    );
    for (const { workflow, key } of gone) await this.remove(workflow, key);
  }

  #of(workflow: string): Map<string, Value> {
    let keys = this.#values.get(workflow);
    if (!keys) this.#values.set(workflow, (keys = new Map()));
    return keys;
  }
}

/** The statement that makes a change last, in the commit of its row. */
export function rememberedStatement(
  workflow: string,
  change: RememberedChange,
  { at, sealer }: { at: number; sealer: Sealer },
): KeyedStatement {
  const [shown, plain] = [printJson(change.shown), printJson(change.values)];
  const sealed = shown === plain ? null : sealer.seal(plain, boundTo(workflow, change.key));
  return {
    key: `remembered ${workflow} ${change.key}`,
    sql: 'INSERT OR REPLACE INTO remembered (workflow, "key", data, sealed, masked, expires_at, changed_at) VALUES (?, ?, ?, ?, ?, ?, ?)',
    values: [workflow, change.key, shown, sealed, printJson(change.masked), change.expires ?? null, at],
  };
}

function boundTo(workflow: string, key: string): string {
  return `remembered:${workflow}:${key}`;
}
