import {
  parseJson,
  printJson,
  readApi,
  type Api,
  type Catalogue,
  type JsonObject,
  type Operation,
  type Principal,
  printPrincipal,
} from "@copper-kettle/core";
import { Op } from "sequelize";
import type { Blobs } from "./blobs.js";
import { ApiRevisionRow, ApiRow } from "./api-models.js";
import type { DriftStore } from "./drift.js";
import type { Writer } from "./writer.js";

/** A revision of an API, read. */
export interface OpenApi {
  name: string;
  revision: number;
  api: Api;
  document: JsonObject;
  changedAt: number;
}

/** A revision's document, and what it says. */
export type ReadRevision = Pick<OpenApi, "api" | "document">;

/** The document was changed by somebody else since it was read. */
export class ApiConflict extends Error {
  override name = "ApiConflict";
}

const mostOldRevisions = 50;

/** A document that is to be stored; what is known of it already need not be made again. */
interface DocumentToPut {
  document: JsonObject;
  /** The document, printed. */
  json?: string;
  api?: Api;
}

/** Described APIs: each document by revision; the current ones read and in memory. */
export class ApiStore implements Catalogue {
  readonly #current = new Map<string, OpenApi>();
  readonly #old = new Map<string, ReadRevision>();
  /** Counts up with each change: whoever keeps something that depends on APIs looks at it. */
  changes = 0;

  constructor(
    readonly writer: Writer,
    readonly blobs: Blobs,
    readonly drift: DriftStore,
  ) {}

  async loadAll(): Promise<void> {
    for (const { name, revision, changedAt } of await ApiRow.findAll())
      this.#current.set(name, { name, revision, changedAt, ...(await this.#readRevision(name, revision)) });
  }

  apis(): string[] {
    return [...this.#current.keys()];
  }

  operations(name: string): Operation[] | undefined {
    return this.#current.get(name)?.api.operations;
  }

  document(name: string): JsonObject | undefined {
    return this.#current.get(name)?.document;
  }

  get(name: string): OpenApi | undefined {
    return this.#current.get(name);
  }

  all(): OpenApi[] {
    return [...this.#current.values()].sort((a, b) => (a.name < b.name ? -1 : 1));
  }

  /** The document of a revision, as OpenAPI 3.1. */
  async documentOf(name: string, revision: number): Promise<JsonObject> {
    const row = await ApiRevisionRow.findOne({ where: { api: name, revision } });
    if (!row) throw new Error(`Revision ${revision} of the API ${name} is missing.`);
    return parseJson((await this.blobs.read(row.document)).toString()) as JsonObject;
  }

  /** What a revision says; undefined if there is none. */
  async revision(name: string, revision: number | undefined): Promise<ReadRevision | undefined> {
    const current = this.#current.get(name);
    if (revision === undefined || current?.revision === revision) return current;
    const key = `${name} ${revision}`;
    const known = this.#old.get(key);
    if (known) return known;
    if (!(await ApiRevisionRow.findOne({ where: { api: name, revision } }))) return undefined;
    const read = await this.#readRevision(name, revision);
    if (this.#old.size >= mostOldRevisions) this.#old.delete(this.#old.keys().next().value as string);
    this.#old.set(key, read);
    return read;
  }

  async #readRevision(name: string, revision: number): Promise<ReadRevision> {
    const document = await this.documentOf(name, revision);
    return { document, api: readApi(document) };
  }

  /** Keeps a document as the next revision of an API. */
  async put(
    name: string,
    { document, json = printJson(document), api = readApi(document) }: DocumentToPut,
    about: {
      original: string;
      written: string;
      source: string | null;
      by: Principal;
      base?: number | undefined;
    },
  ): Promise<OpenApi> {
    // One after the other: their digests are computed at once, and others are to be answered between.
    const kept = await this.blobs.keep(Buffer.from(json));
    const original = await this.blobs.keep(Buffer.from(about.original));
    const now = Date.now();
    const revision = await this.writer.write(async (transaction) => {
      const known = await ApiRow.findByPk(name, { transaction });
      if (about.base !== undefined && (known?.revision ?? 0) !== about.base)
        throw new ApiConflict(
          `The API ${name} was changed since it was read: it is at revision ${known?.revision ?? 0}, this change began at ${about.base}.`,
        );
      const last =
        ((await ApiRevisionRow.max("revision", { where: { api: name }, transaction })) as number | null) ?? 0;
      const next = last + 1;
      await ApiRevisionRow.create(
        {
          api: name,
          revision: next,
          document: kept,
          original,
          written: about.written,
          source: about.source,
          createdAt: now,
          createdBy: printPrincipal(about.by),
        },
        { transaction },
      );
      const values = { title: api.title, revision: next, changedAt: now };
      if (known) await known.update(values, { transaction });
      else await ApiRow.create({ name, ...values }, { transaction });
      return next;
    });
    const open = { name, revision, api, document, changedAt: now };
    this.#current.set(name, open);
    this.changes++;
    // What departed from the old document may fit the new one; what does not will be seen again.
    await this.drift.forget(name);
    return open;
  }

  /** Removes an API. Its revisions stay, since runs name them. */
  async remove(name: string): Promise<boolean> {
    const removed = await this.writer.write(
      async (transaction) => (await ApiRow.destroy({ where: { name }, transaction })) > 0,
    );
    this.#current.delete(name);
    this.changes++;
    await this.drift.forget(name);
    return removed;
  }

  /** The revision that was current at a time; undefined if the API was not there. */
  async revisionAt(name: string, time: number): Promise<number | undefined> {
    const row = await ApiRevisionRow.findOne({
      where: { api: name, createdAt: { [Op.lte]: time } },
      order: [["revision", "DESC"]],
      attributes: ["revision"],
    });
    return row?.revision;
  }

  async revisions(name: string): Promise<ApiRevisionRow[]> {
    return ApiRevisionRow.findAll({ where: { api: name }, order: [["revision", "DESC"]] });
  }
}
