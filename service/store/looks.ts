import { isObject, parseJson, printJson, type Json, type JsonObject } from "@copper-kettle/core";
import { execute, selectList } from "./database.js";
import type { Writer } from "./writer.js";

/** So many looks of a poll are stored. */
const most = 20;
/** So many entries of each: requests and responses of further pages are left out. */
const mostEntries = 20;
/** A body longer than this many characters is left out of them, and its length is told instead. */
const longestBody = 16_384;
/** An entry longer than this many characters is not even read for its other parts. */
const longestEntry = 262_144;

/** What a look sent and what came back, as the entries of a run's journal tell it. */
export interface StoredLook {
  /** Milliseconds since 1970. */
  at: number;
  entries: Json[];
}

/** An entry of a look: what it says of itself, and its JSON as people may see it. */
export interface LookEntry {
  type: string;
  status: number | undefined;
  open: string;
}

/** The last looks of polls. */
export class LookStore {
  constructor(readonly writer: Writer) {}

  /** Notes a look; the oldest one beyond so many goes. */
  async note(workflow: string, trigger: string, at: number, entries: readonly LookEntry[]): Promise<void> {
    const { connection } = this.writer.store;
    const which = "environment = 'live' AND workflow = ?1 AND trigger_name = ?2";
    await this.writer.write(async () => {
      await execute(
        connection,
        "INSERT OR REPLACE INTO looks (workflow, trigger_name, at, entries) VALUES (?, ?, ?, ?)",
        [workflow, trigger, at, `[${entries.slice(0, mostEntries).map(shortEntry).join(",")}]`],
      );
      await execute(
        connection,
        `DELETE FROM looks WHERE ${which} AND at NOT IN (SELECT at FROM looks WHERE ${which} ORDER BY at DESC LIMIT ${most})`,
        [workflow, trigger],
      );
    });
  }

  /** The newest first. */
  async list(workflow: string, trigger: string): Promise<StoredLook[]> {
    const rows = await selectList<{ at: number; entries: string }>(
      this.writer.store,
      `SELECT at, entries FROM looks WHERE environment = 'live' AND workflow = :workflow AND trigger_name = :trigger
        ORDER BY at DESC`,
      { workflow, trigger },
    );
    return rows.map(({ at, entries }) => ({ at, entries: parseJson(entries) as Json[] }));
  }

  /** Forgets those of triggers that are no more. */
  async prune(): Promise<void> {
    const orphans = `DELETE FROM looks WHERE NOT EXISTS (SELECT 1 FROM triggers
      WHERE triggers.workflow = looks.workflow AND triggers.name = looks.trigger_name)`;
    await this.writer.write(() => execute(this.writer.store.connection, orphans));
  }
}

/** An entry as JSON, without bodies and items that would fill the store. */
function shortEntry({ type, status, open }: LookEntry): string {
  if (open.length <= longestBody) return open;
  if (open.length <= longestEntry) return printJson(withoutLongBodies(parseJson(open)));
  const body = `(${open.length} characters, left out)`;
  return printJson({ type, response: { status: status ?? null, body } });
}

function withoutLongBodies(entry: Json): Json {
  if (!isObject(entry)) return entry;
  const { items, ...rest } = entry;
  const shorter: JsonObject = {
    ...rest,
    ...(items === undefined ? {} : { items: shortOf(items) }),
  };
  for (const part of ["request", "response"] as const) {
    const message = rest[part];
    if (!isObject(message)) continue;
    const { text, ...others } = message;
    shorter[part] = {
      ...others,
      ...(message["body"] === undefined ? {} : { body: shortOf(message["body"]) }),
      ...(text === undefined ? {} : { text: shortOf(text) }),
    };
  }
  return shorter;
}

function shortOf(value: Json): Json {
  const { length } = printJson(value);
  return length <= longestBody ? value : `(${length} characters, left out)`;
}
