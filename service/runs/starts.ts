import {
  journalFormat,
  languageVersion,
  printJson,
  printPrincipal,
  type Entry,
  type JournalRow,
  type Trigger,
  type Workflow,
  calledApis,
  emptySummary,
  secretPlaces,
  type Json,
} from "@copper-kettle/core";
import { randomUUID } from "node:crypto";
import type { ApiStore } from "../store/apis.js";
import type { JournalStore } from "../store/journal.js";
import { RunJournal } from "../store/run-journal.js";
import { inheritFiles } from "../store/files.js";
import { inputsDigest } from "../store/start-keys.js";
import type { StoreRow } from "../store/writer.js";
import type { RunRecord } from "../store/models.js";
import type { WorkflowStore } from "../store/workflows.js";
import { shownOptions } from "./rehearsed.js";
import { startRows } from "./masked-rows.js";
import { newRunId } from "./ids.js";
import { checkInputs, secretInputs } from "./inputs.js";
import { count } from "./queue.js";
import type { Runner } from "./runner.js";
import { BadInputs, KeyReused, QueueFull, WrongState, type StartRequest } from "./start-request.js";

const longestQueue = 10_000;

/** What there is of a run that has done nothing yet, as its row has it. */
const unbegun = { ...emptySummary(), error: null, unsure: "[]", waits: "[]", responseSeq: null };

/** A start that is ready to begin. */
export interface PreparedStart {
  request: StartRequest;
  workflow: Workflow;
  row: RunRecord;
  journal: RunJournal;
  rows: JournalRow[];
  /** What becomes durable with it. */
  also: readonly StoreRow[];
}

/** Starts runs; a start is durable before it is answered. */
export class Starts {
  /** Starts under way, by workflow and key, so that two at once are one. */
  readonly #pending = new Map<string, { created: Promise<RunRecord>; inputs: Buffer }>();
  /** Runs of each workflow, and of each share, that are on their way into the queue. */
  readonly #beginning = new Map<string, number>();

  constructor(
    readonly journals: JournalStore,
    readonly workflows: WorkflowStore,
    readonly runner: Runner,
  ) {}

  /**
   * Starts a run; the same key starts it once.
   * @throws BadInputs, HasProblems, QueueFull, KeyReused
   */
  async start(request: StartRequest): Promise<{ row: RunRecord; known: boolean }> {
    if (request.key === undefined) return { row: await this.#create(request), known: false };
    const name = `${request.workflow} ${request.key}`;
    const pending = this.#underWay(name, request);
    if (pending) return { row: await pending, known: true };
    const known = await this.#known(request, request.key);
    const again = known !== undefined && request.keyed?.againAfterFailure === true && hasFailed(known);
    if (known && !again) return { row: known, known: true };
    // Nothing is waited for between this look and the note that the start is under way.
    const other = this.#underWay(name, request);
    if (other) return { row: await other, known: true };
    const created = this.#create(request, again).finally(() => this.#pending.delete(name));
    this.#pending.set(name, { created, inputs: inputsDigest(request.inputs) });
    return { row: await created, known: false };
  }

  async #create(request: StartRequest, again = false): Promise<RunRecord> {
    const [row] = await this.begin([await this.prepare(request, again)]);
    return row as RunRecord;
  }

  /** The run that another start with the same key is making. */
  #underWay(name: string, { inputs }: StartRequest): Promise<RunRecord> | undefined {
    const pending = this.#pending.get(name);
    if (!pending || pending.inputs.equals(inputsDigest(inputs))) return pending?.created;
    return pending.created.then(({ id }) => {
      throw new KeyReused(id);
    });
  }

  /** The run that an earlier start with the same key made. */
  async #known({ workflow, inputs }: StartRequest, key: string): Promise<RunRecord | undefined> {
    const known = await this.journals.startKeys.find(workflow, key, inputs);
    if (!known) return undefined;
    if (!known.same) throw new KeyReused(known.run);
    const row = await this.journals.runs.find(known.run);
    if (!row) throw new WrongState(`The run ${known.run}, which this key started, was deleted.`);
    return row;
  }

  /**
   * Makes a start ready: its inputs are checked, and nothing is written.
   * @param again its key started a run before, which does not count any more
   * @throws BadInputs, HasProblems
   */
  async prepare(request: StartRequest, again = false): Promise<PreparedStart> {
    const workflow = await this.workflows.ready(request.workflow, request.text);
    const { inputs, faults } = checkInputs(workflow.inputs, request.inputs);
    if (faults.length > 0) throw new BadInputs(faults);
    const id = newRunId();
    const now = Date.now();
    const { caller, options, origin = id } = request;
    const trigger: Trigger = request.trigger ?? {
      kind: caller ? "workflow" : "by-hand",
      id: randomUUID(),
      at: new Date(now).toISOString(),
      ...(caller ? { caller } : {}),
    };
    const started: Extract<Entry, { type: "started" }> = {
      type: "started",
      at: now,
      format: journalFormat,
      language: languageVersion,
      workflow: request.workflow,
      version: request.version,
      origin,
      inputs,
      trigger,
      principal: request.by,
      ...apisOf(workflow, this.workflows.apis),
      ...(options ? { options } : {}),
    };
    const row: RunRecord = {
      id,
      workflow: request.workflow,
      version: request.version,
      text: request.text,
      origin,
      trigger: printJson(shownTrigger(trigger)),
      createdAt: now,
      parent: caller && request.waited ? caller.run : null,
      principal: request.principal ? printPrincipal(request.principal) : null,
      startedBy: printPrincipal(request.by),
      options: options ? printJson(shownOptions(options)) : null,
      shares: request.shares && request.shares.length > 0 ? JSON.stringify(request.shares) : null,
      repeats: options?.from?.run ?? null,
      ...unbegun,
    };
    const insert = {
      key: `new run ${id}`,
      into: "runs (id, workflow, version, text, origin, state, trigger, created_at, parent, principal, started_by, options, shares, repeats)",
      values: [
        id,
        row.workflow,
        row.version,
        row.text,
        origin,
        "queued",
        row.trigger,
        now,
        row.parent,
        row.principal,
        row.startedBy,
        row.options,
        row.shares,
        row.repeats,
      ],
    };
    const { key, keys = [] } = request;
    const { startKeys } = this.journals;
    const keyed = { workflow: request.workflow, run: id, inputs: request.inputs, at: now };
    const counts = request.keyed?.counts;
    const also = [
      insert,
      ...(request.also?.(id) ?? []),
      ...(request.filesOf ? [inheritFiles({ kind: "run", id }, request.filesOf, request.filesOf.ids)] : []),
      ...(key === undefined ? [] : [startKeys.row({ ...keyed, key }, { counts, again })]),
      ...keys.map((one) => startKeys.row({ ...keyed, key: one }, { counts })),
    ];
    const journal = new RunJournal(this.journals, id, request.workflow, 0, emptySummary());
    const places = [
      ...secretInputs(workflow.inputs).map((place) => ["inputs", ...place]),
      ...(request.secretPlaces ?? []),
      ...secretPlaces(trigger as unknown as Json, ["trigger"]),
    ];
    return { request, workflow, row, journal, rows: startRows(started, places, request.secrets), also };
  }

  /**
   * Begins what was made ready, all of it in one commit: each is durable, or none is.
   * @param more rows for the same commit
   * @throws QueueFull
   */
  async begin(starts: readonly PreparedStart[], more: readonly StoreRow[] = []): Promise<RunRecord[]> {
    const waiting = new Map<string, number>();
    for (const { row } of starts) count(waiting, row.workflow, 1);
    for (const [workflow, number] of waiting)
      if (this.runner.waiting(workflow) + number > longestQueue)
        throw new QueueFull(`More than ${longestQueue} runs of ${workflow} are waiting already.`);
    const counted: string[] = [];
    const rows: RunRecord[] = [];
    const queued: PreparedStart[] = [];
    for (const start of starts) {
      const full = this.#full(start.workflow, start.request);
      if (full === undefined) {
        // Counted before anything is waited for: two starts in one commit must not both find the last place free.
        const names = [start.workflow.name, ...(start.request.shares ?? []).map((share) => share.name)];
        for (const name of names) count(this.#beginning, name, 1);
        counted.push(...names);
        queued.push(start);
        rows.push(start.row);
      } else rows.push(leftOut(start, `Skipped: ${full} ("when-busy: skip").`));
    }
    try {
      await RunJournal.writeTogether(this.journals, starts, more);
      for (const { row, request } of starts) {
        const { name, kind = request.caller ? "workflow" : "by-hand" } = request.trigger ?? {};
        this.journals.events.emit("started", row.id, row.workflow, name ?? kind);
      }
      for (const { row, journal, rows: entries, workflow, request } of queued) {
        this.journals.events.emit("state", row.id, workflow.name, "queued");
        await this.runner.enqueue(row, {
          fresh: { row, journal, entries: entries.map(({ entry }) => entry) },
          awaited: request.awaited === true,
        });
      }
    } finally {
      for (const name of counted) count(this.#beginning, name, -1);
    }
    return rows;
  }

  /** Why a start is left out: as many runs go on as may. */
  #full({ name, limits }: Workflow, { shares = [], skipIfFull = [] }: StartRequest): string | undefined {
    const beginning = (of: string): number => this.#beginning.get(of) ?? 0;
    const { parallel, whenBusy } = limits;
    if (
      whenBusy === "skip" &&
      parallel !== undefined &&
      this.runner.places(name) + beginning(name) >= parallel
    )
      return `${parallel} runs of ${name} were active`;
    const full = shares.find(
      (share) =>
        skipIfFull.includes(share.name) &&
        this.runner.sharing(share.name) + beginning(share.name) >= share.most,
    );
    return full && `${full.most} runs of this trigger were active`;
  }
}

/** Whether a run came to an end that its starter did not want. */
const hasFailed = ({ state }: RunRecord): boolean => state === "failed" || state === "stopped";

/** Ends a start that does nothing. */
function leftOut({ row, rows }: PreparedStart, message: string): RunRecord {
  const at = row.createdAt;
  const entry: Entry = { type: "finished", at, state: "skipped", message, problems: 0 };
  rows.push({ entry, open: printJson(entry), sealed: undefined });
  return { ...row, state: "skipped", endedAt: at, message };
}

/** Of what started a run, what its row says: bodies are in the journal alone. */
function shownTrigger({ kind, name, id, at, caller, missed }: Trigger): Trigger {
  return {
    kind,
    ...(name === undefined ? {} : { name }),
    id,
    at,
    ...(caller ? { caller } : {}),
    ...(missed === undefined ? {} : { missed }),
  };
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
