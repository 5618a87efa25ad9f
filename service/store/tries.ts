import { Op } from "sequelize";
import { TryRow, type TryRecord } from "./api-models.js";
import type { Writer } from "./writer.js";

/** So many tries are stored, the newest of all. */
const mostTries = 500;

/** Calls that people tried, with what came back. */
export class TryStore {
  constructor(readonly writer: Writer) {}

  async find(id: number): Promise<TryRecord | undefined> {
    return (await TryRow.findByPk(id, { raw: true })) ?? undefined;
  }

  /** The newest first, without their results. */
  list(operation: string | undefined, limit: number): Promise<Omit<TryRecord, "result">[]> {
    return TryRow.findAll({
      where: operation === undefined ? {} : { operation },
      order: [["id", "DESC"]],
      limit,
      attributes: { exclude: ["result"] },
      raw: true,
    });
  }

  count(): Promise<number> {
    return TryRow.count();
  }

  /** Stores a try, and forgets the oldest; returns its number. */
  add(row: Omit<TryRecord, "id">): Promise<number> {
    return this.writer.write(async (transaction) => {
      const { id } = await TryRow.create(row, { transaction });
      await TryRow.destroy({ where: { id: { [Op.lte]: id - mostTries } }, transaction });
      return id;
    });
  }
}
