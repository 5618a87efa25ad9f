import { parseJson, printJson, setOwn, type Json, type JsonObject } from "@copper-kettle/core";
import { ConstantRow } from "./models.js";
import type { Writer } from "./writer.js";

/** Named values that are not secrets; held in memory, since every expression may read them. */
export class ConstantStore {
  #values: JsonObject = {};

  constructor(readonly writer: Writer) {}

  async loadAll(): Promise<void> {
    const values: JsonObject = {};
    for (const row of await ConstantRow.findAll({ order: [["name", "ASC"]] }))
      setOwn(values, row.name, parseJson(row.value));
    this.#values = values;
  }

  all(): JsonObject {
    return this.#values;
  }

  async put(name: string, value: Json): Promise<void> {
    const text = printJson(value);
    await this.writer.write(async (transaction) => {
      const known = await ConstantRow.findByPk(name, { transaction });
      const values = { name, value: text, changedAt: Date.now() };
      return known ? known.update(values, { transaction }) : ConstantRow.create(values, { transaction });
    });
    await this.loadAll();
  }

  async remove(name: string): Promise<boolean> {
    const removed = await this.writer.write(
      async (transaction) => (await ConstantRow.destroy({ where: { name }, transaction })) > 0,
    );
    await this.loadAll();
    return removed;
  }
}
