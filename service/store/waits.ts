import type { Awaited, Wait } from "@copper-kettle/core";

/** Runs one statement of a transaction, and gives its rows. */
export type Rows = (sql: string, values: unknown[]) => Promise<Record<string, unknown>[]>;

/** A run that comes to rest, and what its steps wait for; empty if it waits for nothing any more. */
export interface Rest {
  run: string;
  waits: readonly Wait[];
}

/** What a commit changes about waiting. */
export interface Moves {
  rests: Rest[];
  /** Runs that end: their locks are free, and who waits for them goes on. */
  ended: string[];
  /** What comes for those that wait for it. */
  comes: Awaited[];
}

/** A run that goes on, since what it waits for has come. */
export interface Woken {
  id: string;
  workflow: string;
  text: string;
  /** As its row has it. */
  shares: string | null;
}

const woken = "RETURNING id, workflow, text, shares";

/**
 * Waiting and waking, in the transaction of whatever moves: the rows of runs that come to rest are written, runs whose
 * awaited thing is there already go on at once, and so does whoever waits for what comes. A run is woken by the change of
 * its state to `queued`, so that no wake-up can be lost between two commits: either the wait is written first, and what
 * comes finds it; or what comes is written first, and the wait finds that.
 */
export async function move(rows: Rows, { rests, ended, comes }: Moves): Promise<Woken[]> {
  const found: Woken[] = [];
  const wake = async (sql: string, values: unknown[]): Promise<void> => {
    found.push(...((await rows(`${sql} ${woken}`, values)) as unknown as Woken[]));
  };
  const sleepers = rests.filter(({ waits }) => waits.length > 0);
  const runs = JSON.stringify(sleepers.map(({ run }) => run));
  if (rests.length > 0)
    await rows("DELETE FROM waits WHERE run IN (SELECT value FROM json_each(?))", [
      JSON.stringify(rests.map(({ run }) => run)),
    ]);
  if (sleepers.length > 0)
    await rows(
      `INSERT OR REPLACE INTO waits (run, path, kind, name, seen)
       SELECT value ->> 0, value ->> 1, value ->> 2, value ->> 3, value ->> 4 FROM json_each(?)`,
      [
        JSON.stringify(
          sleepers.flatMap(({ run, waits }) =>
            waits.map(({ path, kind, name, seen }) => [run, path, kind, name, seen ?? 0]),
          ),
        ),
      ],
    );
  const came = [...comes];
  if (ended.length > 0) {
    const free = await rows(
      "DELETE FROM locks WHERE run IN (SELECT value FROM json_each(?)) RETURNING name",
      [JSON.stringify(ended)],
    );
    for (const { name } of free) came.push({ kind: "lock", name: String(name) });
    for (const name of ended) came.push({ kind: "run", name });
  }
  if (came.length > 0)
    await wake(
      `UPDATE runs SET state = 'queued', wake_at = NULL WHERE state = 'waiting' AND ended_at IS NULL AND id IN (
         SELECT waits.run FROM json_each(?) AS came
         JOIN waits ON waits.kind = came.value ->> 0 AND waits.name = came.value ->> 1)`,
      [JSON.stringify(came.map(({ kind, name }) => [kind, name]))],
    );
  if (sleepers.length > 0)
    await wake(
      `UPDATE runs SET state = 'queued', wake_at = NULL WHERE state = 'waiting' AND ended_at IS NULL AND id IN (
         SELECT run FROM waits WHERE run IN (SELECT value FROM json_each(?)) AND CASE kind
           WHEN 'run' THEN NOT EXISTS (SELECT 1 FROM runs AS called WHERE called.id = waits.name AND called.ended_at IS NULL)
           WHEN 'lock' THEN NOT EXISTS (SELECT 1 FROM locks WHERE locks.name = waits.name)
           WHEN 'credential' THEN (SELECT times FROM usable WHERE usable.credential = waits.name) > seen
         END)`,
      [runs],
    );
  return found;
}
