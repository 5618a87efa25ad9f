import { printJson, type Entry } from "@copper-kettle/core";
import { existsSync } from "node:fs";
import { rm } from "node:fs/promises";
import { join } from "node:path";
import type { JournalStore } from "../store/journal.js";
import { restoredMark } from "./backup.js";

const reason =
  "Restored from a backup: what this run did since then is unknown. Check the APIs that it calls, then resume it.";

/** Holds every unfinished run of a data folder that came from a backup: it may have gone on where the backup was taken. */
export async function holdRestored(dataFolder: string, journals: JournalStore, now: number): Promise<number> {
  const mark = join(dataFolder, restoredMark);
  if (!existsSync(mark)) return 0;
  const rows = await journals.runs.unended();
  for (const row of rows) await hold(journals, row, now, reason);
  await rm(mark);
  return rows.length;
}

/** Holds a run that does not act, with the reason; one that is unsure waits for a person as it is. */
export async function hold(
  journals: JournalStore,
  { id, workflow }: { id: string; workflow: string },
  now: number,
  why: string,
): Promise<void> {
  const { journal } = await journals.load(id, workflow);
  if (journal.summary.state === "unsure") return;
  const entry: Entry = { type: "rested", at: now, state: "parked", reason: why };
  await journal.write([{ entry, open: printJson(entry), sealed: undefined }]);
}
