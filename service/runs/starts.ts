import {
  journalFormat,
  leastLength,
  printJson,
  valueAt,
  type Decision,
  type Entry,
  type Json,
  type JsonObject,
  type JournalRow,
  type Path,
  type RunOptions,
  type Trigger,
  type Workflow,
  calledApis,
  emptySummary,
  MaskSet,
  maskPlaces,
  secretPlaces,
} from "@copper-kettle/core";
import { randomUUID } from "node:crypto";
import type { ApiStore } from "../store/apis.js";
import { RunJournal, type JournalStore } from "../store/journal.js";
import { RunRow, type RunRecord } from "../store/models.js";
import type { WorkflowStore } from "../store/workflows.js";
import { newRunId } from "./ids.js";
import { checkInputs, secretInputs, type InputFault } from "./inputs.js";
import type { Runner } from "./runner.js";

/** The inputs of a start are not as the workflow wants them. */
export class BadInputs extends Error {
  override name = "BadInputs";
  constructor(readonly faults: InputFault[]) {
    super(faults.map((fault) => fault.message).join(" "));
  }
}

/** What a run by hand was asked to do does not fit its workflow. */
export class BadOptions extends Error {
  override name = "BadOptions";
  constructor(readonly faults: InputFault[]) {
    super(faults.map((fault) => fault.message).join(" "));
  }
}

/** What was asked cannot be done in the state that the run is in. */
export class WrongState extends Error {
  override name = "WrongState";
}

/** Too many runs of a workflow wait for their turn. */
export class QueueFull extends Error {
  override name = "QueueFull";
}

export interface StartRequest {
  workflow: string;
  version: number;
  /** The digest of the text that runs. */
  text: string;
  inputs: JsonObject;
  key: string | undefined;
  /** The run and step that start it. */
  caller?: NonNullable<Trigger["caller"]>;
  /** Whether the caller waits for it. */
  waited?: boolean;
  /** What has to be masked in it, besides its own. */
  secrets?: string[];
  options?: RunOptions;
  /** The run whose ids it takes; missing: its own. */
  origin?: string;
}

const longestQueue = 10_000;

/** What there is of a run that has done nothing yet, as its row has it. */
const unbegun = { ...emptySummary(), error: null, unsure: "[]" };

/** Starts, stops and decides runs: each durable before it is answered. */
export class Starts {
  /** Starts under way, by workflow and key, so that two at once are one. */
  readonly #pending = new Map<string, Promise<RunRecord>>();

  constructor(
    readonly journals: JournalStore,
    readonly workflows: WorkflowStore,
    readonly runner: Runner,
  ) {}

  /**
   * Starts a run; the same key starts it once.
   * @throws BadInputs, HasProblems, QueueFull
   */
  async start(request: StartRequest): Promise<{ row: RunRecord; known: boolean }> {
    if (request.key === undefined) return { row: await this.#create(request), known: false };
    const name = `${request.workflow} ${request.key}`;
    const pending = this.#pending.get(name);
    if (pending) return { row: await pending, known: true };
    const known = await RunRow.findOne({ where: { workflow: request.workflow, startKey: request.key } });
    if (known) return { row: known, known: true };
    const again = this.#pending.get(name);
    if (again) return { row: await again, known: true };
    const created = this.#create(request).finally(() => this.#pending.delete(name));
    this.#pending.set(name, created);
    return { row: await created, known: false };
  }

  async #create(request: StartRequest): Promise<RunRecord> {
    const workflow = await this.workflows.ready(request.workflow, request.text);
    const { inputs, faults } = checkInputs(workflow.inputs, request.inputs);
    if (faults.length > 0) throw new BadInputs(faults);
    if (this.runner.waiting(request.workflow) >= longestQueue)
      throw new QueueFull(`More than ${longestQueue} runs of ${request.workflow} wait already.`);
    const id = newRunId();
    const now = Date.now();
    const { caller, options, origin = id } = request;
    const trigger: Trigger = {
      kind: caller ? "workflow" : "by-hand",
      id: randomUUID(),
      at: new Date(now).toISOString(),
      ...(caller ? { caller } : {}),
    };
    const started: Entry = {
      type: "started",
      at: now,
      format: journalFormat,
      workflow: request.workflow,
      version: request.version,
      origin,
      inputs,
      trigger,
      ...apisOf(workflow, this.workflows.apis),
      ...(options ? { options } : {}),
    };
    const row: RunRecord = {
      id,
      workflow: request.workflow,
      version: request.version,
      text: request.text,
      origin,
      trigger: printJson(trigger),
      startKey: request.key ?? null,
      createdAt: now,
      parent: caller && request.waited ? caller.run : null,
      options: options ? printJson(options) : null,
      ...unbegun,
    };
    const insert = {
      key: `new run ${id}`,
      into: "runs (id, workflow, version, text, origin, state, trigger, start_key, created_at, parent, options)",
      values: [
        id,
        row.workflow,
        row.version,
        row.text,
        origin,
        "queued",
        row.trigger,
        row.startKey,
        now,
        row.parent,
        row.options,
      ],
    };
    const journal = new RunJournal(this.journals, id, request.workflow, 0, emptySummary());
    const rows = startRows(started, inputs, secretInputs(workflow.inputs), request.secrets);
    if (this.#isSkipped(workflow)) {
      const message = `Skipped: ${workflow.limits.atOnce ?? 0} runs of ${request.workflow} were going on ("when-busy: skip").`;
      const entry: Entry = { type: "finished", at: now, state: "skipped", message, problems: 0 };
      rows.push({ entry, open: printJson(entry), sealed: undefined });
      await journal.write(rows, insert);
      return { ...row, state: "skipped", endedAt: now, message };
    }
    await journal.write(rows, insert);
    this.journals.events.emit("state", id, request.workflow, "queued");
    await this.runner.enqueue(row, { fresh: { row, journal, entries: rows.map(({ entry }) => entry) } });
    return row;
  }

  /** Whether a start is left out, since as many runs go on as may. */
  #isSkipped({ name, limits }: Workflow): boolean {
    return (
      limits.whenBusy === "skip" && limits.atOnce !== undefined && this.runner.places(name) >= limits.atOnce
    );
  }

  /** Stops a run: after its step, or now. One that is not acting stops at once. */
  async stop(row: RunRow, how: { now: boolean; by: string }): Promise<void> {
    if (row.endedAt !== null) throw new WrongState(`The run has ended already: it is ${row.state}.`);
    if (this.runner.stop(row.id, how)) return;
    this.runner.forget(row.id, row.workflow);
    const { journal } = await this.journals.load(row.id, row.workflow);
    const at = Date.now();
    await write(journal, [
      { type: "stopping", at, by: how.by },
      { type: "finished", at, state: "stopped", message: "Stopped by hand.", problems: 0 },
    ]);
    this.runner.ended(row.id);
    // What it waited for would go on for nobody.
    for (const child of await RunRow.findAll({ where: { parent: row.id, endedAt: null } }))
      await this.stop(child, { now: how.now, by: `run ${row.id}` });
  }

  /** Goes on with a run that stopped at a breakpoint, with values that somebody changed there. */
  async resume(row: RunRow, changes: { place: Path; value: Json }[], by: string): Promise<void> {
    const path = /^breakpoint:(.*)$/.exec(row.waitsFor ?? "")?.[1];
    if (row.state !== "waiting" || path === undefined)
      throw new WrongState(`The run does not stand at a breakpoint: it is ${row.state}.`);
    const { journal, entries } = await this.journals.load(row.id, row.workflow);
    const masks = new MaskSet();
    for (const known of entries) if (known.type === "secrets") masks.add(known.values);
    const entry: Entry = {
      type: "resumed",
      at: Date.now(),
      path,
      by,
      ...(changes.length > 0 ? { changes } : {}),
    };
    await journal.write([maskedRow(entry, masks)]);
    await this.runner.enqueue(row, { first: true });
  }

  /** Lets a held run go on. */
  async release(row: RunRow, by: string): Promise<void> {
    if (row.state !== "held") throw new WrongState(`The run is not held: it is ${row.state}.`);
    const { journal } = await this.journals.load(row.id, row.workflow);
    await write(journal, [{ type: "resumed", at: Date.now(), path: "", by }]);
    await this.runner.enqueue(row, { first: true });
  }

  /** Keeps what a person decides about an unsure call, and lets the run go on. */
  async decide(
    row: RunRow,
    decision: Decision,
    given: { path?: string | undefined; outcome?: Json | undefined; by: string },
  ): Promise<void> {
    if (this.runner.isActive(row.id))
      throw new WrongState("The run is still acting in other branches; decide when it has come to rest.");
    const { journal, entries } = await this.journals.load(row.id, row.workflow);
    const unsure = journal.summary.unsure;
    if (row.endedAt !== null || unsure.length === 0)
      throw new WrongState(`There is nothing to decide: the run is ${journal.summary.state}.`);
    const path = given.path ?? (unsure.length === 1 ? unsure[0]?.path : undefined);
    if (!unsure.some((item) => item.path === path)) {
      throw new WrongState(`Say which step: ${unsure.map((item) => item.path).join(", ")}.`);
    }
    const entry: Entry = { type: "decided", at: Date.now(), path: path as string, decision, by: given.by };
    if (given.outcome !== undefined) entry.outcome = given.outcome;
    const masks = new MaskSet();
    for (const known of entries) if (known.type === "secrets") masks.add(known.values);
    await journal.write([
      maskedRow({ ...entry, masked: secretPlaces(given.outcome ?? null, ["outcome"]) }, masks),
    ]);
    await this.runner.enqueue(row, { first: true });
  }
}

const calledNames = new WeakMap<Workflow, Set<string>>();

/** The revision of each API that a workflow calls, as it is now: the run keeps to it. */
function apisOf(workflow: Workflow, apis: ApiStore): { apis?: Record<string, number> } {
  let names = calledNames.get(workflow);
  if (!names) calledNames.set(workflow, (names = new Set(calledApis(workflow.steps))));
  if (names.size === 0) return {};
  return {
    apis: Object.fromEntries(
      [...names].flatMap((name) => {
        const open = apis.get(name);
        return open ? [[name, open.revision]] : [];
      }),
    ),
  };
}

async function write(journal: RunJournal, entries: Entry[]): Promise<void> {
  await journal.write(entries.map((entry) => ({ entry, open: printJson(entry), sealed: undefined })));
}

/** The first rows of a journal: what the starter gave, with what is secret in it sealed. */
function startRows(started: Entry, inputs: JsonObject, places: Path[], more: string[] = []): JournalRow[] {
  if (places.length === 0 && more.length === 0)
    return [{ entry: started, open: printJson(started), sealed: undefined }];
  const values = places
    .map((place) => valueAt(inputs, place))
    .filter((value) => typeof value === "string" || typeof value === "number");
  const masks = new MaskSet();
  masks.add([...values.map(String), ...more]);
  const secrets: Entry = {
    type: "secrets",
    at: started.at,
    values: [...values.map(String), ...more].filter((value) => value.length >= leastLength),
    places: places.map((place) => ["inputs", ...place]),
  };
  const masked: Entry = { ...started, masked: places.map((place) => ["inputs", ...place]) };
  return [maskedRow(masked, masks), maskedRow(secrets, masks)];
}

function maskedRow(entry: Entry, masks: MaskSet): JournalRow {
  const open = printJson(masks.json(maskPlaces(entry as unknown as Json, entry.masked ?? [])));
  const sealed = printJson(entry);
  return { entry, open, sealed: open === sealed ? undefined : sealed };
}
