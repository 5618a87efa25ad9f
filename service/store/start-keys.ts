import { canonicalJson, type Json, type Principal } from "@copper-kettle/core";
import { createHash } from "node:crypto";
import { execute, selectOn, type Store } from "./database.js";
import type { KeyedStatement } from "./statements.js";
import type { Writer } from "./writer.js";

/** Environments come later; until then there is one. */
export const live = "live";

/** What a start was made with under a key. */
export interface KnownStart {
  run: string;
  /** Whether the inputs are those of now. */
  same: boolean;
}

/**
 * The 16 bytes that stand for a key of a start. It carries its source, so that nobody can give the key of another's:
 * `api:<who>:<key>`, `trigger:<name>:<key>`, `call:<run>:<path>`.
 */
export function keyDigest(workflow: string, key: string): Buffer {
  return createHash("sha256").update([live, workflow, key].join("\0")).digest().subarray(0, 16);
}

/** The key that a program gave with a start. */
export function apiKey({ kind, id }: Principal, key: string): string {
  // A token stands by its name alone, as it always did: keys outlive an upgrade. No such name holds a colon here.
  return `api:${kind === "token" ? "" : `${kind}:`}${encodeURIComponent(id)}:${key}`;
}

/** The key of a start that a step makes. */
export const callKey = (run: string, path: string): string => `call:${run}:${path}`;

/** The key of a start by a trigger: what is the same in a repeat of its event. */
export const triggerKey = (trigger: string, key: string): string => `trigger:${trigger}:${key}`;

/** A key from before it carried its source, as it is stored now: nobody knows who gave it. */
export function olderKey(key: string): string {
  return key.startsWith("call:") ? key : apiKeyBefore(key);
}

const apiKeyBefore = (key: string): string => `api:*:${key}`;

/** Keys are retained so long after their start where nothing else is said, and as long as their run; in milliseconds. */
const retainedMillis = 7 * 86_400_000;

/** So many keys go at a time. */
const bite = 500;

interface KeyRow {
  digest: Buffer;
  run: string;
  inputs: Buffer;
}

/** Keys of starts: each starts one run, though that run is deleted meanwhile. */
export class StartKeys {
  /** Lookups of this turn of the event loop: they share one read. */
  #asked: {
    digests: Buffer[];
    found: (rows: readonly KeyRow[]) => void;
    failed: (error: unknown) => void;
  }[] = [];

  constructor(readonly store: Store) {}

  async find(workflow: string, key: string, inputs: Json): Promise<KnownStart | undefined> {
    const older = /^api:[^:]*:(.*)$/s.exec(key)?.[1];
    const keys = [key, ...(older === undefined ? [] : [apiKeyBefore(older)])].map((one) =>
      keyDigest(workflow, one),
    );
    const [row] = await this.#rowsOf(keys);
    if (!row) return undefined;
    return { run: row.run, same: row.inputs.length === 0 || row.inputs.equals(inputsDigest(inputs)) };
  }

  #rowsOf(digests: Buffer[]): Promise<readonly KeyRow[]> {
    if (this.#asked.length === 0) setImmediate(() => void this.#read());
    return new Promise((found, failed) => this.#asked.push({ digests, found, failed }));
  }

  async #read(): Promise<void> {
    const asked = this.#asked;
    this.#asked = [];
    try {
      const all = new Map<string, KeyRow>();
      const digests = asked.flatMap((one) => one.digests);
      for (let at = 0; at < digests.length; at += bite) {
        const some = digests.slice(at, at + bite);
        const rows = await selectOn<KeyRow>(
          this.store.reading,
          `SELECT digest, run, inputs FROM start_keys WHERE digest IN (${some.map(() => "?").join(", ")})`,
          some,
        );
        for (const row of rows) all.set(row.digest.toString("hex"), row);
      }
      for (const { digests: mine, found } of asked)
        found(mine.flatMap((digest) => all.get(digest.toString("hex")) ?? []));
    } catch (error) {
      for (const { failed } of asked) failed(error);
    }
  }

  /** The runs that some keys of one source started, by key; whatever their inputs were. */
  async runsOf(workflow: string, keys: readonly string[]): Promise<Map<string, string>> {
    const digests = keys.map((key) => keyDigest(workflow, key));
    const rows = new Map(
      (await this.#rowsOf(digests)).map(({ digest, run }) => [digest.toString("hex"), run]),
    );
    return new Map(
      keys.flatMap((key, index): [string, string][] => {
        const run = rows.get(digests[index]?.toString("hex") ?? "");
        return run === undefined ? [] : [[key, run]];
      }),
    );
  }

  /**
   * A key as a row, for the commit of what it starts.
   * @param counts for how long, in milliseconds
   * @param again the key started a run before, which does not count any more
   */
  row(
    {
      workflow,
      key,
      run,
      inputs,
      at,
    }: { workflow: string; key: string; run: string; inputs: Json; at: number },
    {
      counts = retainedMillis,
      again = false,
    }: { counts?: number | undefined; again?: boolean | undefined } = {},
  ): KeyedStatement {
    const digest = keyDigest(workflow, key);
    const values = [digest, run, inputsDigest(inputs), at + counts];
    const columns = "start_keys (digest, run, inputs, retained_until)";
    const name = `start key ${digest.toString("hex")}`;
    return again
      ? { key: name, sql: `INSERT OR REPLACE INTO ${columns} VALUES (?, ?, ?, ?)`, values }
      : { key: name, into: columns, values };
  }

  /** Forgets keys that are old enough, and whose run is deleted. */
  async prune(writer: Writer, now: number): Promise<void> {
    const sql = `DELETE FROM start_keys WHERE digest IN (SELECT digest FROM start_keys
      WHERE retained_until < ? AND run NOT IN (SELECT id FROM runs) ORDER BY retained_until LIMIT ${bite})`;
    while ((await writer.write(() => execute(writer.store.connection, sql, [now]))) === bite);
  }
}

export function inputsDigest(inputs: Json): Buffer {
  return createHash("sha256").update(canonicalJson(inputs)).digest().subarray(0, 16);
}
