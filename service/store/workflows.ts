import {
  printPrincipal,
  readPrincipal,
  readWorkflow,
  sha256Hex,
  type Catalogue,
  type Principal,
  type Problem,
  type ReadWorkflow,
  type Workflow,
} from "@copper-kettle/core";
import { Op, type Transaction } from "sequelize";
import type { ApiStore } from "./apis.js";
import type { EventStore } from "./events.js";
import { GrantStore, type Needed } from "./grants.js";
import { TriggerStore, type Wanted } from "./triggers.js";
import { TextRow, VersionRow, WorkflowRow, type VersionRecord, type WorkflowRecord } from "./models.js";
import type { Writer } from "./writer.js";

/** The draft was changed by somebody else since it was read. */
export class DraftConflict extends Error {
  override name = "DraftConflict";
}

/** The file has errors, so it cannot be published or run. */
export class HasProblems extends Error {
  override name = "HasProblems";
  constructor(
    readonly workflow: string,
    readonly problems: Problem[],
  ) {
    super(`The workflow ${workflow} has problems.`);
  }
}

/** What a version says of itself: what it uses, and its triggers. */
export interface Says {
  needed: Needed[];
  wanted: Wanted[];
}

/** The digests of the texts that a start may run. */
export interface Startable {
  draft: string;
  published: { version: number; text: string; principal: Principal | undefined } | undefined;
}

/** Workflows: drafts, published versions, and the texts of both. */
export class WorkflowStore {
  /** What their versions may use. */
  readonly grants: GrantStore;
  readonly triggers: TriggerStore;
  readonly #read = new Map<string, ReadWorkflow>();
  /** What a start needs of each workflow; taken again after each change. */
  readonly #startable = new Map<string, Startable>();

  #changes = 0;

  readonly #checked = new Map<string, { changes: number; read: ReadWorkflow }>();

  constructor(
    readonly writer: Writer,
    readonly apis: ApiStore,
    /** The events that triggers brought: a check knows their shapes. */
    readonly events: EventStore,
  ) {
    this.grants = new GrantStore(writer);
    this.triggers = new TriggerStore(writer);
  }

  /** What a check of a file knows. */
  get catalogue(): Catalogue {
    const { apis, events } = this;
    return {
      apis: () => apis.apis(),
      operations: (name) => apis.operations(name),
      document: (name) => apis.document(name),
      brought: (workflow, trigger) => events.shape(workflow, trigger),
    };
  }

  async find(name: string): Promise<WorkflowRecord | undefined> {
    return (await WorkflowRow.findByPk(name, { raw: true })) ?? undefined;
  }

  /** How many there are, and how many of them are published. */
  async counts(): Promise<{ workflows: number; published: number }> {
    const published = { [Op.ne]: null };
    return {
      workflows: await WorkflowRow.count(),
      published: await WorkflowRow.count({ where: { published } }),
    };
  }

  /** What a start needs to know of a workflow; undefined if there is none. */
  async startable(name: string): Promise<Startable | undefined> {
    const known = this.#startable.get(name);
    if (known) return known;
    const changes = this.#changes;
    const row = await this.find(name);
    if (!row) return undefined;
    const published = row.published === null ? undefined : await this.version(name, row.published);
    const found = {
      draft: row.draft,
      published: published
        ? {
            version: published.version,
            text: published.text,
            principal: readPrincipal(published.publishedBy),
          }
        : undefined,
    };
    // Where something was changed meanwhile, what was read may be from before it.
    if (changes === this.#changes) this.#startable.set(name, found);
    return found;
  }

  all(): Promise<WorkflowRecord[]> {
    return WorkflowRow.findAll({ order: [["name", "ASC"]], raw: true });
  }

  async text(digest: string): Promise<string> {
    const row = await TextRow.findByPk(digest);
    if (!row) throw new Error(`The text ${digest} is missing.`);
    return row.text;
  }

  /** A text, read and checked against the described APIs as they are now. */
  async checked(digest: string): Promise<ReadWorkflow> {
    const changes = this.apis.changes + this.events.changes;
    const known = this.#checked.get(digest);
    if (known?.changes === changes) return known.read;
    const read = readWorkflow(await this.text(digest), this.catalogue);
    if (this.#checked.size >= 500) this.#checked.delete(this.#checked.keys().next().value as string);
    this.#checked.set(digest, { changes, read });
    return read;
  }

  /** A text, read by itself: what a run needs, whatever became of an API since. The last 500 are kept in memory. */
  async parsed(digest: string): Promise<ReadWorkflow> {
    const known = this.#read.get(digest);
    if (known) return known;
    const read = readWorkflow(await this.text(digest));
    if (this.#read.size >= 500) this.#read.delete(this.#read.keys().next().value as string);
    this.#read.set(digest, read);
    return read;
  }

  /** The workflow of a text, ready to run. */
  async ready(name: string, digest: string): Promise<Workflow> {
    const { workflow, problems } = await this.parsed(digest);
    if (!workflow) throw new HasProblems(name, problems);
    return workflow;
  }

  async version(workflow: string, version: number): Promise<VersionRecord | undefined> {
    return (await VersionRow.findOne({ where: { workflow, version }, raw: true })) ?? undefined;
  }

  /** All versions that were published, the newest first. */
  versions(workflow: string): Promise<VersionRecord[]> {
    return VersionRow.findAll({ where: { workflow }, order: [["version", "DESC"]], raw: true });
  }

  /** Keeps a file as the draft of a workflow, whatever its problems. */
  push(name: string, text: string, base?: number): Promise<WorkflowRecord> {
    const { workflow, problems } = readWorkflow(text, this.catalogue);
    const errors = problems.filter((problem) => problem.severity === "error").length;
    const digest = sha256Hex(text);
    return this.#changing(name, async (transaction) => {
      await keepText(digest, text, transaction);
      const now = Date.now();
      const known = await WorkflowRow.findByPk(name, { transaction });
      if (known && base !== undefined && known.revision !== base) {
        throw new DraftConflict(
          `The draft of ${name} was changed since it was read: it is at revision ${known.revision}, this edit began at ${base}.`,
        );
      }
      const title = workflow ? (workflow.title ?? null) : (known?.title ?? null);
      if (!known)
        return (
          await WorkflowRow.create(
            { name, title, draft: digest, revision: 1, published: null, problems: errors, changedAt: now },
            { transaction },
          )
        ).get();
      if (known.draft === digest) return known.get();
      const revision = known.revision + 1;
      await known.update(
        { title, draft: digest, revision, problems: errors, changedAt: now },
        { transaction },
      );
      return known.get();
    });
  }

  /**
   * Makes the draft the published version, with a grant for each thing that it needs, and its triggers in force. The same
   * text is not published twice, but gets its grants again.
   * @throws HasProblems, PathTaken
   */
  async publish(
    name: string,
    by: Principal,
    saysOf: (workflow: Workflow) => Says = () => ({ needed: [], wanted: [] }),
  ): Promise<WorkflowRecord | undefined> {
    const row = await this.find(name);
    if (!row) return undefined;
    const { workflow, problems } = await this.checked(row.draft);
    if (!workflow) throw new HasProblems(name, problems);
    const { needed, wanted } = saysOf(workflow);
    const also = async (version: number, transaction: Transaction): Promise<void> => {
      await this.grants.give(name, version, needed, by, transaction);
      await this.triggers.arm(name, version, wanted, Date.now());
    };
    let version = 0;
    const published = await this.#changing(name, async (transaction) => {
      const current =
        row.published === null
          ? null
          : await VersionRow.findOne({ where: { workflow: name, version: row.published }, transaction });
      if (current?.text === row.draft) {
        version = current.version;
        await also(version, transaction);
        return row;
      }
      const last =
        ((await VersionRow.max("version", { where: { workflow: name }, transaction })) as number | null) ?? 0;
      version = last + 1;
      await VersionRow.create(
        {
          workflow: name,
          version,
          text: row.draft,
          publishedAt: Date.now(),
          publishedBy: printPrincipal(by),
        },
        { transaction },
      );
      await also(version, transaction);
      const change = { published: version, changedAt: Date.now() };
      await WorkflowRow.update(change, { where: { name }, transaction });
      return { ...row, ...change };
    });
    this.grants.given(name, version, needed);
    return published;
  }

  async #changing<T>(name: string, work: (transaction: Transaction) => Promise<T>): Promise<T> {
    try {
      return await this.writer.write(work);
    } finally {
      this.#changes++;
      this.#startable.delete(name);
    }
  }

  /** Removes a workflow. Its versions stay, since runs name them. */
  async remove(name: string): Promise<boolean> {
    return this.#changing(name, async (transaction) => {
      await this.triggers.remove(name);
      return (await WorkflowRow.destroy({ where: { name }, transaction })) > 0;
    });
  }
}

async function keepText(digest: string, text: string, transaction: Transaction): Promise<void> {
  await TextRow.upsert({ digest, text, unusedSince: null }, { transaction });
}
