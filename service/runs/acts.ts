import {
  printJson,
  MaskSet,
  leafTexts,
  leastLength,
  secretPlaces,
  valueAt,
  type Decision,
  type Entry,
  type Json,
  type Path,
  type Principal,
  printPrincipal,
} from "@copper-kettle/core";
import { OneAtATime } from "../one-at-a-time.js";
import { isConflict } from "../store/faults.js";
import type { JournalStore } from "../store/journal.js";
import type { RunRecord } from "../store/models.js";
import type { RunJournal } from "../store/run-journal.js";
import { maskedRow, secretChanges } from "./masked-rows.js";
import type { Runner } from "./runner.js";
import { WrongState } from "./start-request.js";

/** How often a person's act is tried while the run writes at the same time. */
const mostTries = 5;

/** What a person says of an unsure call. */
export interface Decided {
  /** The step; undefined while only one is unsure. */
  path?: string | undefined;
  /** The attempt that they saw. */
  attempt: number;
  outcome?: Json | undefined;
  by: Principal;
}

/** How a run continues from a breakpoint: with changed values, and where it pauses again. */
interface Continuing {
  changes: { place: Path; value: Json }[];
  next?: "step" | "item" | undefined;
}

/** What people do to runs: stop, decide, continue, resume; all of it is durable before it is answered. */
export class RunActs {
  /** What people do to a run, one after another. */
  readonly #acts = new OneAtATime();

  constructor(
    readonly journals: JournalStore,
    readonly runner: Runner,
  ) {
    runner.events.on("leftOut", (run, later) => {
      this.#leaveOut(run, later).catch((error: unknown) =>
        runner.parts.log.error({ err: error, run }, "a run that a later one replaced was not ended"),
      );
    });
  }

  /** What a person does to a run, on the run as it is then; again if the run itself wrote to its journal meanwhile. */
  #act(row: RunRecord, work: (now: RunRecord) => Promise<void>): Promise<void> {
    return this.#acts.run(async () => {
      for (let tries = 1; ; tries++) {
        try {
          return await work((await this.journals.runs.find(row.id)) ?? row);
        } catch (error) {
          if (!isConflict(error) || tries >= mostTries) throw error;
        }
      }
    }, row.id);
  }

  /** Ends a run that has not begun, since a later one took its place. After a kill it goes on as if there were none. */
  async #leaveOut(run: string, later: string): Promise<void> {
    const row = await this.journals.runs.find(run);
    if (!row) return;
    await this.#act(row, async ({ endedAt, workflow }) => {
      if (endedAt !== null) return;
      const { journal } = await this.journals.load(run, workflow);
      const message = `Left out: the run ${later} came after it ("latest-only").`;
      await write(journal, [{ type: "finished", at: Date.now(), state: "skipped", message, problems: 0 }]);
      this.runner.events.emit("rested", run, { state: "skipped" });
    });
  }

  /** Stops a run: after its step, or now. One that is not acting stops at once. */
  stop(row: RunRecord, how: { now: boolean; by: Principal }): Promise<void> {
    return this.#act(row, (now) => this.#stop(now, how));
  }

  async #stop(row: RunRecord, how: { now: boolean; by: Principal }): Promise<void> {
    if (row.endedAt !== null) throw hasEnded(row.state);
    // What it called and waits for stops with it, before this is answered.
    if (await this.runner.stop(row.id, how)) return this.runner.children.stopCalled(row.id);
    this.runner.forget(row.id, row.workflow);
    const { journal } = await this.journals.load(row.id, row.workflow);
    // It may have come to its own end since its row was read.
    if (journal.summary.endedAt !== null) throw hasEnded(journal.summary.state);
    const at = Date.now();
    await write(journal, [
      { type: "stopping", at, by: printPrincipal(how.by) },
      { type: "finished", at, state: "stopped", message: "Stopped by hand.", problems: 0 },
    ]);
    await this.runner.ended(row.id);
  }

  /** Continues a run that stopped at a breakpoint, with values that somebody changed there; `next` is where it stops again. */
  continue(row: RunRecord, how: Continuing, by: Principal): Promise<void> {
    return this.#act(row, (now) => this.#continue(now, how, by));
  }

  async #continue(row: RunRecord, { changes, next }: Continuing, by: Principal): Promise<void> {
    const { journal, entries } = await this.journals.load(row.id, row.workflow);
    const path = journal.summary.waits.find(({ kind }) => kind === "breakpoint")?.name;
    if (row.state !== "waiting" || path === undefined)
      throw new WrongState(`The run is not at a breakpoint: it is ${row.state}.`);
    const at = Date.now();
    const known = entries.flatMap((entry) => (entry.type === "secrets" ? [entry] : []));
    const masked = secretChanges(
      changes,
      known.flatMap(({ places }) => places),
    );
    const entry: Entry = {
      type: "decided",
      decision: "continue",
      at,
      path,
      by: printPrincipal(by),
      ...(changes.length > 0 ? { changes } : {}),
      ...(next === undefined ? {} : { next }),
      ...(masked.length > 0 ? { masked } : {}),
    };
    const values = masked.flatMap((place) => leafTexts(valueAt(entry as unknown as Json, place) ?? null));
    const masks = new MaskSet();
    masks.add([...known.flatMap((one) => one.values), ...values]);
    const long = values.filter((text) => text.length >= leastLength);
    const secrets: Entry = { type: "secrets", at, values: long, places: [] };
    const rows: Entry[] = long.length > 0 ? [secrets, entry] : [entry];
    await journal.write(rows.map((one) => maskedRow(one, masks)));
    await this.runner.enqueue(row, { first: true });
  }

  /** Resumes a parked run. */
  resume(row: RunRecord, by: Principal): Promise<void> {
    return this.#act(row, (now) => this.#resume(now, by));
  }

  async #resume(row: RunRecord, by: Principal): Promise<void> {
    if (row.state !== "parked") throw new WrongState(`The run is not parked: it is ${row.state}.`);
    const { journal } = await this.journals.load(row.id, row.workflow);
    await write(journal, [
      { type: "decided", decision: "resume", at: Date.now(), path: "", by: printPrincipal(by) },
    ]);
    await this.runner.enqueue(row, { first: true });
  }

  /** Keeps what a person decides about an unsure call, and lets the run go on. */
  decide(row: RunRecord, decision: Decision, given: Decided): Promise<void> {
    return this.#act(row, (now) => this.#decide(now, decision, given));
  }

  async #decide(row: RunRecord, decision: Decision, given: Decided): Promise<void> {
    if (this.runner.isActive(row.id))
      throw new WrongState("The run is still active in other branches. Decide when it rests.");
    const { journal, entries } = await this.journals.load(row.id, row.workflow);
    const unsure = journal.summary.unsure;
    if (row.endedAt !== null || unsure.length === 0)
      throw new WrongState(`Nothing to decide: the run is ${journal.summary.state}.`);
    const path = given.path ?? (unsure.length === 1 ? unsure[0]?.path : undefined);
    const asked = unsure.find((item) => item.path === path);
    if (!asked) throw new WrongState(`Name the step: ${unsure.map((item) => item.path).join(", ")}.`);
    if (asked.attempt !== given.attempt)
      throw new WrongState(
        `You decided about attempt ${given.attempt} of ${asked.path}, but attempt ${asked.attempt} is unsure now. Look at the run again before you decide.`,
      );
    const entry: Entry = {
      type: "decided",
      at: Date.now(),
      path: path as string,
      decision,
      by: printPrincipal(given.by),
    };
    if (given.outcome !== undefined) entry.outcome = given.outcome;
    const masks = new MaskSet();
    for (const known of entries) if (known.type === "secrets") masks.add(known.values);
    await journal.write([
      maskedRow({ ...entry, masked: secretPlaces(given.outcome ?? null, ["outcome"]) }, masks),
    ]);
    await this.runner.enqueue(row, { first: true });
  }
}

function hasEnded(state: string): WrongState {
  return new WrongState(`The run has ended already: it is ${state}.`);
}

async function write(journal: RunJournal, entries: Entry[]): Promise<void> {
  await journal.write(entries.map((entry) => ({ entry, open: printJson(entry), sealed: undefined })));
}
