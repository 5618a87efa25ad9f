import type { RunState } from "@copper-kettle/core";
import { execute, select } from "./database.js";
import type { KeyedStatement } from "./statements.js";
import type { Writer } from "./writer.js";

/** A run's state that people may want to know of, written in the commit that made it so. */
export interface Report {
  id: number;
  run: string;
  workflow: string;
  state: RunState;
}

/** States that people are notified of. */
export const reportedStates = ["failed", "unsure", "parked", "skipped"] as const;

/** So many reports are read at once. */
const mostRead = 200;

/**
 * What is to be reported to people: a row in the commit of what it reports, until its notification is stored. A success is
 * written only if a report of its workflow came before, whose cause is then over.
 */
export class Outbox {
  /** Workflows with a report that is not over. */
  readonly #reported = new Set<string>();
  /** How many rows of each workflow are not done: its cause is not over while there are any. */
  readonly #open = new Map<string, number>();
  /** Runs with a row that nobody has read yet. */
  readonly #written = new Set<string>();

  constructor(readonly writer: Writer) {}

  /** @param reported the workflows that people were notified of, and that did not succeed since */
  async loadAll(reported: Iterable<string>): Promise<void> {
    for (const workflow of reported) this.#reported.add(workflow);
    const rows = await select<{ workflow: string; count: number }>(
      this.writer.store,
      "SELECT workflow, count(*) AS count FROM outbox GROUP BY workflow",
    );
    for (const { workflow, count } of rows) {
      this.#reported.add(workflow);
      this.#open.set(workflow, count);
    }
  }

  /** The row of a state that a run has come to; undefined if nobody has to know. */
  row(run: string, workflow: string, state: RunState, at: number): KeyedStatement | undefined {
    if (reportedStates.some((one) => one === state)) this.#reported.add(workflow);
    else if (state !== "succeeded" || !this.#reported.has(workflow)) return undefined;
    this.#written.add(run);
    this.#open.set(workflow, (this.#open.get(workflow) ?? 0) + 1);
    return {
      key: `report ${run} ${state} ${at}`,
      into: "outbox (run, workflow, state, at)",
      values: [run, workflow, state, at],
    };
  }

  /** Whether a run has come to a state that is to be reported, since this was asked last. */
  hasNews(run: string): boolean {
    return this.#written.delete(run);
  }

  /** The oldest reports, in the order of their commits. */
  read(): Promise<Report[]> {
    return select<Report>(
      this.writer.store,
      `SELECT id, run, workflow, state FROM outbox ORDER BY id LIMIT ${mostRead}`,
    );
  }

  /** Takes reports away, in the transaction that stores what became of them. */
  async remove(reports: readonly Report[]): Promise<void> {
    await execute(
      this.writer.store.connection,
      "DELETE FROM outbox WHERE id IN (SELECT value FROM json_each(?))",
      [JSON.stringify(reports.map(({ id }) => id))],
    );
  }

  /** Reports are taken away, durably. A workflow of which nothing is reported any more needs no row for its next success. */
  done(reports: readonly Report[], isReported: (workflow: string) => boolean): void {
    for (const { workflow } of reports) {
      const left = (this.#open.get(workflow) ?? 1) - 1;
      if (left > 0) this.#open.set(workflow, left);
      else this.#open.delete(workflow);
    }
    for (const { workflow } of reports)
      if (!this.#open.has(workflow) && !isReported(workflow)) this.#reported.delete(workflow);
  }
}
