import { inferShape, isObject, parseJson, printJson, type Json, type JsonObject } from "@copper-kettle/core";
import { SampleRow } from "./api-models.js";
import type { Writer } from "./writer.js";

/** An answer that was kept to build from. */
export interface KeptSample {
  name: string;
  at: number;
  by: string;
  /** What was sent, as a try takes it. */
  given: JsonObject;
  status: number;
  headers: JsonObject;
  body: Json;
}

/** The samples of operations, by API and operation id. */
export class SampleStore {
  constructor(readonly writer: Writer) {}

  async all(api: string, operation: string): Promise<KeptSample[]> {
    const rows = await SampleRow.findAll({ where: { api, operation }, order: [["name", "ASC"]] });
    return rows.map(({ name, at, by, given, status, headers, body }) => ({
      name,
      at,
      by,
      given: objectOf(given),
      status,
      headers: objectOf(headers),
      body: parseJson(body),
    }));
  }

  /** Keeps a sample; one of the same name is replaced. */
  async keep(api: string, operation: string, sample: KeptSample): Promise<void> {
    const { given, headers, body, ...rest } = sample;
    const texts = { given: printJson(given), headers: printJson(headers), body: printJson(body) };
    await this.writer.write((transaction) =>
      SampleRow.upsert({ api, operation, ...rest, ...texts }, { transaction }),
    );
  }

  remove(api: string, operation: string, name: string): Promise<boolean> {
    return this.writer.write(
      async (transaction) => (await SampleRow.destroy({ where: { api, operation, name }, transaction })) > 0,
    );
  }
}

function objectOf(text: string): JsonObject {
  const value = parseJson(text);
  return isObject(value) ? value : {};
}

/** The shape of the samples' answers of one status; undefined where there is none. */
export function shapeOf(samples: KeptSample[], status: number): JsonObject | undefined {
  const bodies = samples.filter((sample) => sample.status === status).map(({ body }) => body);
  return bodies.length > 0 ? inferShape(bodies) : undefined;
}
