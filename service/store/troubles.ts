import { printForPeople } from "@copper-kettle/core";
import { select, selectList, type Store } from "./database.js";

/** A trigger that does not do what it is for, in a sentence. */
export interface Trouble {
  workflow: string;
  trigger: string;
  sentence: string;
}

/** So many events in a row must be bad. */
const inARow = 3;
/** A success is looked for among the runs of so many events. */
const lookedThrough = 500;

/**
 * The triggers that people should know of: polls that fail, deliveries that are refused and times that are skipped three
 * times in a row, and those without a success for longer than the file expects. All of it follows from what is stored.
 */
export async function troubles(store: Store, now: number): Promise<Trouble[]> {
  return [
    ...(await failing(store)),
    ...(await asking(store)),
    ...(await refusing(store)),
    ...(await lacking(store, now)),
  ];
}

const inForce = "gone_at IS NULL AND is_on = 1";

/** Polls of whose state a number is above zero. */
async function pollsWith<T>(
  store: Store,
  { counted, told }: { counted: string; told: string },
  sentence: (names: { workflow: string; name: string }, told: T) => string,
): Promise<Trouble[]> {
  const rows = await selectList<{ workflow: string; name: string; told: T }>(
    store,
    `SELECT workflow, name, json_extract(poll, '$.${told}') AS told FROM triggers
      WHERE ${inForce} AND kind = 'poll' AND json_extract(poll, '$.${counted}') > 0`,
    {},
  );
  return rows.map((row) => ({
    workflow: row.workflow,
    trigger: row.name,
    sentence: sentence(row, row.told),
  }));
}

const failing = (store: Store): Promise<Trouble[]> =>
  pollsWith<string>(
    store,
    { counted: "failures", told: "fault" },
    ({ workflow, name }, fault) => `The poll ${name} of ${workflow} fails: ${fault}`,
  );

const asking = (store: Store): Promise<Trouble[]> =>
  pollsWith<number>(
    store,
    { counted: "gone", told: "gone" },
    ({ workflow, name }, gone) =>
      `${gone} items of the poll ${name} of ${workflow} are gone at once, so nothing was started for them. If that is right: ckettle trigger look ${workflow} ${name} --start`,
  );

async function refusing(store: Store): Promise<Trouble[]> {
  const rows = await selectList<{ workflow: string; name: string; last: string | null }>(
    store,
    `SELECT workflow, name, (SELECT group_concat(state) FROM (SELECT state FROM events
        WHERE events.workflow = triggers.workflow AND trigger_name = triggers.name AND version > 0 ORDER BY id DESC LIMIT ${inARow})) AS last
      FROM triggers WHERE ${inForce} AND kind IN ('schedule', 'webhook')`,
    {},
  );
  const found: Trouble[] = [];
  for (const { workflow, name, last } of rows) {
    const states = new Set((last ?? "").split(","));
    const [state] = states;
    if (states.size > 1 || (state !== "refused" && state !== "skipped")) continue;
    if ((last ?? "").split(",").length < inARow) continue;
    const [newest] = await select<{ reason: string | null }>(
      store,
      "SELECT reason FROM events WHERE workflow = :workflow AND trigger_name = :name ORDER BY id DESC LIMIT 1",
      { workflow, name },
    );
    const what = `The last ${inARow} events of the trigger ${name} of ${workflow} were ${state}`;
    found.push({ workflow, trigger: name, sentence: `${what}: ${newest?.reason ?? ""}` });
  }
  return found;
}

async function lacking(store: Store, now: number): Promise<Trouble[]> {
  const rows = await selectList<{ workflow: string; name: string; within: number; since: number }>(
    store,
    `SELECT workflow, name, expect_within AS within, max(changed_at, coalesce((SELECT max(ended_at) FROM runs
        WHERE state = 'succeeded' AND id IN (SELECT run FROM events WHERE events.workflow = triggers.workflow
          AND trigger_name = triggers.name AND run IS NOT NULL ORDER BY events.id DESC LIMIT ${lookedThrough})), 0)) AS since
      FROM triggers WHERE ${inForce} AND expect_within IS NOT NULL`,
    {},
  );
  return rows
    .filter(({ since, within }) => now - since > within)
    .map(({ workflow, name, within }) => ({
      workflow,
      trigger: name,
      sentence: `Nothing that the trigger ${name} of ${workflow} started has succeeded for ${printForPeople(within)}.`,
    }));
}
