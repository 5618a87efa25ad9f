import { printPrincipal, type Principal } from "@copper-kettle/core";
import { Op, type Transaction } from "sequelize";
import { GrantRow, type GrantRecord } from "./people-models.js";
import type { Writer } from "./writer.js";

/** What a published version uses: a credential, a workflow that it calls, a host that it sends to. */
export interface Needed {
  kind: "credential" | "workflow" | "host";
  name: string;
}

/** A version, and something that it uses. */
type Place = Needed & { workflow: string; version: number };

/**
 * What published versions may use, and who gave it: a run that no person started acts on these. They hold whatever
 * becomes of who gave them, until somebody withdraws them.
 */
export class GrantStore {
  /** Those that were withdrawn: each use looks here. */
  readonly #withdrawn = new Map<string, string>();

  constructor(readonly writer: Writer) {}

  async loadAll(): Promise<void> {
    const rows = await GrantRow.findAll({ where: { withdrawnAt: { [Op.ne]: null } }, raw: true });
    for (const row of rows) this.#withdrawn.set(nameOf(row as Place), row.withdrawnBy ?? "");
  }

  /** The grants of a version, by kind and name. */
  of(workflow: string, version: number): Promise<GrantRecord[]> {
    const order: [string, string][] = [
      ["kind", "ASC"],
      ["name", "ASC"],
    ];
    return GrantRow.findAll({ where: { workflow, version }, order, raw: true });
  }

  /** Gives a version what it needs, in the transaction that publishes it; what was withdrawn is given again. */
  async give(
    workflow: string,
    version: number,
    needed: readonly Needed[],
    by: Principal,
    transaction: Transaction,
  ): Promise<void> {
    const about = { workflow, version, givenBy: printPrincipal(by), givenAt: Date.now() };
    for (const one of needed)
      await GrantRow.upsert({ ...about, ...one, withdrawnBy: null, withdrawnAt: null }, { transaction });
  }

  /** What was given is in force: called when its transaction is done. */
  given(workflow: string, version: number, needed: readonly Needed[]): void {
    for (const one of needed) this.#withdrawn.delete(nameOf({ workflow, version, ...one }));
  }

  /** Takes back what a version may use, from its next use on; false if it has no such grant. */
  async withdraw(place: Place, by: Principal): Promise<boolean> {
    const { workflow, version, kind, name } = place;
    const withdrawnBy = printPrincipal(by);
    const changed = await this.writer.write(async (transaction) => {
      const where = { workflow, version, kind, name };
      return (await GrantRow.update({ withdrawnBy, withdrawnAt: Date.now() }, { where, transaction }))[0];
    });
    if (changed > 0) this.#withdrawn.set(nameOf(place), withdrawnBy);
    return changed > 0;
  }

  /** Who withdrew a grant; undefined while it holds, or where there was never one. */
  withdrawnBy(place: Place): string | undefined {
    return this.#withdrawn.size === 0 ? undefined : this.#withdrawn.get(nameOf(place));
  }
}

const nameOf = ({ workflow, version, kind, name }: Place): string =>
  [workflow, version, kind, name].join("\0");
