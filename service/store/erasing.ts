import type { ErasureReport } from "@copper-kettle/contract";
import {
  isObject,
  MaskSet,
  own,
  parseJson,
  printJson,
  setOwn,
  type Json,
  type JsonObject,
} from "@copper-kettle/core";
import type { Sealer } from "../sealing/keys.js";
import type { Blobs } from "./blobs.js";
import { execute, selectList, selectOn } from "./database.js";
import { eventSeal } from "./events.js";
import { seenSeal } from "./seen.js";
import { boundTo } from "./files.js";
import { isLarge } from "./run-journal.js";
import { withUsed } from "./runs.js";
import type { Writer } from "./writer.js";

/** What stands where something was erased. */
export const erased = "[erased]";

/** So many rows are read at a time. */
const bite = 100;

/** A table whose rows people look at, with the columns that may hold what is looked for. */
interface Place {
  table: "samples" | "tries" | "activity" | "drift" | "events" | "runs" | "looks";
  key: string[];
  json: string[];
  texts: string[];
}

const places: Place[] = [
  { table: "samples", key: ["api", "operation", "name"], json: ["given", "headers", "body"], texts: [] },
  { table: "looks", key: ["workflow", "trigger_name", "at"], json: ["entries"], texts: [] },
  { table: "tries", key: ["id"], json: ["given", "result"], texts: [] },
  { table: "activity", key: ["id"], json: [], texts: ["name", "detail"] },
  { table: "drift", key: ["api", "operation", "status", "what", "path"], json: [], texts: ["detail"] },
];
const eventPlace: Place = { table: "events", key: ["id"], json: ["brought"], texts: ["reason"] };
const runPlace: Place = {
  table: "runs",
  key: ["id"],
  json: ["trigger", "options", "error", "unsure", "waits"],
  texts: ["message"],
};

interface JournalRow {
  run: string;
  seq: number;
  entries: string | null;
  sealed: Buffer | null;
  entries_blob: string | null;
  sealed_blob: string | null;
}

/** Finds one value in what is stored, and puts `[erased]` in its place; in bites, each in a commit of its own. */
export class Erasing {
  readonly #masks = new MaskSet(erased);
  /** Bodies that nothing names any more, and that were written too short a time ago to be removed at once. */
  readonly bodiesLeft: string[] = [];
  readonly #runs = new Set<string>();
  readonly #refused = new Set<string>();
  #used = new Set<string>();
  readonly #found: ErasureReport;

  /** @param value of at least eight characters; its URL-encoded, JSON-escaped and Base64 forms are found, too */
  constructor(
    readonly writer: Writer,
    readonly blobs: Blobs,
    readonly sealer: Sealer,
    value: string,
    /** Only looks. */
    readonly dry: boolean,
  ) {
    this.#masks.add([value]);
    this.#found = {
      runs: [],
      refused: [],
      entries: 0,
      files: 0,
      samples: 0,
      tries: 0,
      activity: 0,
      drift: 0,
      events: 0,
      elsewhere: [],
    };
  }

  /** Can be done again after it broke off: what is erased already is not found any more. */
  async run(): Promise<ErasureReport> {
    const used = await selectList<{ id: string }>(this.writer.store, `${withUsed} SELECT id FROM used`);
    this.#used = new Set(used.map(({ id }) => id));
    await this.#overwriting(async () => {
      await this.#rows(runPlace, ({ id }) => this.#mayChange(String(id)));
      await this.#journal();
      await this.#files();
      await this.#events();
      await this.#seen();
      for (const place of places) await this.#rows(place, () => true);
    });
    await this.#elsewhere();
    return { ...this.#found, runs: [...this.#runs].sort(), refused: [...this.#refused].sort() };
  }

  /** Whether a run that holds the value may be changed; notes it either way. */
  #mayChange(run: string): boolean {
    const refused = this.#used.has(run);
    (refused ? this.#refused : this.#runs).add(run);
    return !refused;
  }

  /** What is replaced or deleted meanwhile leaves no bytes behind in the file, nor in the log. */
  async #overwriting(work: () => Promise<void>): Promise<void> {
    if (this.dry) return work();
    const { connection } = this.writer.store;
    await this.writer.write(() => selectOn(connection, "PRAGMA secure_delete=ON"));
    try {
      await work();
    } finally {
      await this.writer.write(() => selectOn(connection, "PRAGMA secure_delete=OFF"));
    }
  }

  async #journal(): Promise<void> {
    let [run, seq] = ["", -1];
    for (;;) {
      const rows = await selectList<JournalRow>(
        this.writer.store,
        `SELECT run, seq, entries, sealed, entries_blob, sealed_blob FROM journal
           WHERE run > :run OR (run = :run AND seq > :seq) ORDER BY run, seq LIMIT ${bite}`,
        { run, seq },
      );
      for (const row of rows) await this.#journalRow(row);
      const last = rows.at(-1);
      if (!last || rows.length < bite) return;
      [run, seq] = [last.run, last.seq];
    }
  }

  async #journalRow(row: JournalRow): Promise<void> {
    const bound = `journal:${row.run}:${row.seq}`;
    const open = row.entries_blob
      ? (await this.blobs.read(row.entries_blob)).toString()
      : (row.entries ?? "[]");
    const bytes = row.sealed_blob ? await this.blobs.read(row.sealed_blob) : row.sealed;
    const sealed = bytes ? this.sealer.open(bytes, bound) : undefined;
    if (!this.#masks.found(open) && (sealed === undefined || !this.#masks.found(sealed))) return;
    if (!this.#mayChange(row.run)) return;
    this.#found.entries++;
    if (this.dry) return;
    const shown = printJson(this.#shaped(parseJson(open)));
    const hidden =
      sealed === undefined ? null : this.sealer.seal(printJson(this.#shaped(parseJson(sealed))), bound);
    const [entriesBlob, sealedBlob] = [
      isLarge(shown) ? await this.blobs.keep(Buffer.from(shown)) : null,
      hidden && isLarge(hidden) ? await this.blobs.keep(hidden) : null,
    ];
    await this.#change(
      "UPDATE journal SET entries = ?, sealed = ?, entries_blob = ?, sealed_blob = ? WHERE run = ? AND seq = ?",
      [entriesBlob ? null : shown, sealedBlob ? null : hidden, entriesBlob, sealedBlob, row.run, row.seq],
    );
    for (const digest of [row.entries_blob, row.sealed_blob]) if (digest) await this.#dropBody(digest);
  }

  /**
   * JSON of ours without the value: the keys of our own format stay, and the words that it is read by. What came from
   * elsewhere (a body, an outcome, inputs) has no such keys.
   */
  #shaped(value: Json): Json {
    if (Array.isArray(value)) return value.map((item) => this.#shaped(item));
    if (!isObject(value)) return this.#masks.json(value);
    const made: JsonObject = {};
    for (const name of Object.keys(value)) {
      const inner = own(value, name) as Json;
      if (words.has(name)) setOwn(made, name, inner);
      else setOwn(made, name, shaped.has(name) ? this.#shaped(inner) : this.#masks.json(inner));
    }
    return made;
  }

  /** What triggers brought: as people see it, and as it lies sealed. An event has what it started, so that it waits for that. */
  async #events(): Promise<void> {
    await this.#rows(eventPlace, ({ run }) => run === null || !this.#used.has(String(run)));
    for (let after = ""; ;) {
      const rows = await selectList<{ id: string; run: string | null; sealed: Buffer }>(
        this.writer.store,
        `SELECT id, run, sealed FROM events WHERE id > :after AND sealed IS NOT NULL ORDER BY id LIMIT ${bite}`,
        { after },
      );
      for (const { id, run, sealed } of rows) {
        const brought = this.sealer.open(sealed, eventSeal(id));
        if (!this.#masks.found(brought) || (run !== null && !this.#mayChange(run))) continue;
        this.#found.events++;
        if (this.dry) continue;
        const made = this.sealer.seal(printJson(this.#masks.json(parseJson(brought))), eventSeal(id));
        await this.#change("UPDATE events SET sealed = ? WHERE id = ?", [made, id]);
      }
      if (rows.length < bite) return;
      after = rows.at(-1)?.id ?? "";
    }
  }

  /** What polls remember of items, for what they were before: where it holds the value, it is forgotten. */
  async #seen(): Promise<void> {
    let after: { workflow: string; trigger: string; digest: Buffer } | undefined;
    for (;;) {
      const rows = await selectList<{ workflow: string; trigger: string; digest: Buffer; item: Buffer }>(
        this.writer.store,
        `SELECT workflow, trigger_name AS trigger, digest, item FROM seen WHERE item IS NOT NULL
          ${after ? "AND (workflow, trigger_name, digest) > (:workflow, :trigger, :digest)" : ""}
          ORDER BY workflow, trigger_name, digest LIMIT ${bite}`,
        { ...after },
      );
      for (const { workflow, trigger, digest, item } of rows) {
        if (!this.#masks.found(this.sealer.open(item, seenSeal(digest.toString("hex"))))) continue;
        this.#found.events++;
        if (this.dry) continue;
        const where = "workflow = ? AND trigger_name = ? AND digest = ?";
        await this.#change(`UPDATE seen SET item = NULL WHERE ${where}`, [workflow, trigger, digest]);
      }
      if (rows.length < bite) return;
      after = rows.at(-1);
    }
  }

  async #files(): Promise<void> {
    for (let after = ""; ;) {
      const rows = await selectList<{
        id: string;
        runs: string;
        name: string;
        sha256: string;
        sealed: number;
      }>(
        this.writer.store,
        `SELECT id, name, sha256, sealed,
           (SELECT json_group_array(owner) FROM file_owners WHERE file = id AND owner_kind = 'run') AS runs
         FROM files WHERE id > :after ORDER BY id LIMIT ${bite}`,
        { after },
      );
      for (const { id, runs, name, sha256, sealed } of rows) {
        const stored = this.blobs.pieces(sha256);
        const parts: Uint8Array[] = [];
        for await (const piece of sealed ? this.sealer.openPieces(stored, boundTo(id)) : stored)
          parts.push(piece);
        const bytes = Buffer.concat(parts);
        if (!this.#masks.foundInBytes(bytes) && !this.#masks.found(name)) continue;
        // Each of its runs is noted; one that goes on keeps it as it is for all.
        const may = (JSON.parse(runs) as string[]).map((run) => this.#mayChange(run));
        if (may.includes(false)) continue;
        this.#found.files++;
        if (this.dry) continue;
        const made = this.#bytes(bytes);
        const kept = oneByOne(made);
        const { digest } = await this.blobs.keepPieces(
          sealed ? this.sealer.sealPieces(kept, boundTo(id)) : kept,
        );
        await this.#change("UPDATE files SET name = ?, sha256 = ?, size = ? WHERE id = ?", [
          this.#masks.text(name),
          digest,
          made.length,
          id,
        ]);
        if (digest !== sha256) await this.#dropBody(sha256);
      }
      if (rows.length < bite) return;
      after = rows.at(-1)?.id ?? "";
    }
  }

  /** Text without the value; what is no text in UTF-8 goes as a whole. */
  #bytes(bytes: Buffer): Buffer {
    const made = Buffer.from(this.#masks.text(bytes.toString()));
    const isText = Buffer.from(bytes.toString()).equals(bytes);
    return isText && !this.#masks.foundInBytes(made) ? made : Buffer.from(erased);
  }

  async #rows(place: Place, mayChange: (row: Record<string, unknown>) => boolean): Promise<void> {
    const { table, key, json, texts } = place;
    const columns = [...new Set([...key, ...json, ...texts, ...(table === "events" ? ["run"] : [])])].join(
      ", ",
    );
    const after = `(${key.join(", ")}) > (${key.map((name) => `:${name}`).join(", ")})`;
    for (let last: Record<string, unknown> | undefined; ;) {
      const rows: Record<string, unknown>[] = await selectList(
        this.writer.store,
        `SELECT ${columns} FROM ${table} ${last ? `WHERE ${after}` : ""} ORDER BY ${key.join(", ")} LIMIT ${bite}`,
        last,
      );
      for (const row of rows) {
        const change = new Map<string, string>();
        for (const name of [...json, ...texts]) {
          const value = row[name];
          if (typeof value !== "string" || !this.#masks.found(value)) continue;
          change.set(
            name,
            json.includes(name) ? printJson(this.#shaped(parseJson(value))) : this.#masks.text(value),
          );
        }
        if (change.size === 0 || !mayChange(row)) continue;
        if (table !== "runs") this.#found[table === "looks" ? "events" : table]++;
        if (this.dry) continue;
        await this.#change(
          `UPDATE ${table} SET ${[...change.keys()].map((name) => `${name} = ?`).join(", ")} WHERE ${key.map((name) => `${name} = ?`).join(" AND ")}`,
          [...change.values(), ...key.map((name) => row[name])],
        );
      }
      last = rows.at(-1);
      if (rows.length < bite) return;
    }
  }

  async #elsewhere(): Promise<void> {
    const queries: [string, string][] = [
      ["a draft of", "SELECT name, text FROM workflows JOIN texts ON digest = draft"],
      [
        "a version of",
        "SELECT workflow || ', ' || version AS name, texts.text FROM versions JOIN texts ON digest = versions.text",
      ],
      ["the constant", "SELECT name, value AS text FROM constants"],
      ["what is remembered by", `SELECT workflow || ' as ' || "key" AS name, data AS text FROM remembered`],
    ];
    for (const [what, sql] of queries)
      for (const { name, text } of await selectList<{ name: string; text: string }>(this.writer.store, sql))
        if (this.#masks.found(text) || this.#masks.found(name))
          this.#found.elsewhere.push(`${what} ${this.#masks.text(name)}`);
  }

  async #change(sql: string, values: unknown[]): Promise<void> {
    await this.writer.write(() => execute(this.writer.store.connection, sql, values));
  }

  /** A body that nothing names any more. */
  async #dropBody(digest: string): Promise<void> {
    const named = await selectList(
      this.writer.store,
      `SELECT 1 FROM journal WHERE entries_blob = :digest UNION ALL SELECT 1 FROM journal WHERE sealed_blob = :digest
       UNION ALL SELECT 1 FROM files WHERE sha256 = :digest LIMIT 1`,
      { digest },
    );
    if (named.length === 0 && !(await this.blobs.remove(digest))) this.bodiesLeft.push(digest);
  }
}

async function* oneByOne(...parts: Uint8Array[]): AsyncGenerator<Uint8Array> {
  yield* parts;
}

/** Fields of our format whose value is a word of it, or a number. */
const words = new Set([
  ...["type", "at", "path", "kind", "state", "decision", "format", "attempt", "workflow"],
  ...["code", "what", "effect", "chose", "method", "status", "pretended"],
]);

/** Fields of our format that have keys of it, in turn. */
const shaped = new Set([
  ...["data", "response", "failure", "error", "trigger", "caller", "options", "next", "request"],
  ...["waits", "drift", "authorization", "faults", "from", "only", "principal"],
]);
