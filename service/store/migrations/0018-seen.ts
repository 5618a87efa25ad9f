import { createHash } from "node:crypto";
import { execute, select, type Store } from "../database.js";

const sha256 = (text: string): string => createHash("sha256").update(text).digest("hex");

/**
 * What polls have seen is known by digests: an id or what makes an item count may hold a secret. Items of before lie sealed from
 * now on; those in the open are forgotten, and `trigger.before` is missing once for each.
 */
export async function digestSeen(store: Store): Promise<void> {
  const rows = await select<{ changed: string }>(
    store,
    "SELECT DISTINCT changed FROM seen WHERE changed IS NOT NULL",
  );
  for (const { changed } of rows)
    await execute(store.connection, "UPDATE seen SET changed = ? WHERE changed = ?", [
      sha256(changed),
      changed,
    ]);
}

export const seenDigests = [`UPDATE seen SET id = '', item = NULL`];
