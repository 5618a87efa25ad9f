import { inferShape, isObject, parseJson, printJson, type Json, type JsonObject } from "@copper-kettle/core";
import { SampleRow } from "./api-models.js";
import type { Writer } from "./writer.js";

/** A response that was saved to build from. */
export interface SavedSample {
  name: string;
  at: number;
  /** Who saved it, as `printPrincipal` writes it. */
  by: string;
  /** What was sent. */
  given: JsonObject;
  status: number;
  headers: JsonObject;
  body: Json;
}

/** The samples of operations, by API and operation id. */
export class SampleStore {
  constructor(readonly writer: Writer) {}

  async all(api: string, operation: string): Promise<SavedSample[]> {
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
  async keep(api: string, operation: string, sample: SavedSample): Promise<void> {
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

/** The shape of the samples' responses of one status; undefined if there is none. */
export function shapeOf(samples: SavedSample[], status: number): JsonObject | undefined {
  const bodies = samples.filter((sample) => sample.status === status).map(({ body }) => body);
  return bodies.length > 0 ? inferShape(bodies) : undefined;
}
