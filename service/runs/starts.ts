import {
  journalFormat,
  languageVersion,
  printJson,
  printPrincipal,
  type Entry,
  type JsonObject,
  type Path,
  type Principal,
  type RunOptions,
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
import { checkInputs, secretInputs, type InputFault } from "./inputs.js";
import { count, type Share } from "./queue.js";
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

/** The key of a start was given before, with other inputs. */
export class KeyReused extends Error {
  override name = "KeyReused";
  constructor() {
    super("This key started a run with other inputs. Use another key for another start.");
  }
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
  /** Who starts it. */
  by: Principal;
  /** In whose name it uses credentials: who published its version, or starts its draft; undefined: nobody known. */
  principal: Principal | undefined;
  /** What the trigger of the file brought that starts it. */
  trigger?: Omit<Trigger, "caller">;
  /** Rows that become durable with the start. */
  also?: (run: string) => StoreRow[];
  /** The run and step that start it. */
  caller?: NonNullable<Trigger["caller"]>;
  /** Whether the caller waits for it. */
  waited?: boolean;
  /** What has to be masked in it, besides its own. */
  secrets?: string[];
  /** Places that hold secrets, besides those that its inputs say: in the inputs, in fixed results, in steps. */
  secretPlaces?: Path[];
  options?: RunOptions;
  /** What it counts against besides its workflow's own limit. */
  shares?: Share[];
  /** Shares of which, when they are full, a start is left out. */
  skipIfFull?: readonly string[];
  /** The run whose ids it takes; missing: its own. */
  origin?: string;
  /** A run whose files it may read as well: all of them, or some. */
  filesOf?: { run: string; ids?: readonly string[] };
}

const longestQueue = 10_000;

/** What there is of a run that has done nothing yet, as its row has it. */
const unbegun = { ...emptySummary(), error: null, unsure: "[]", waits: "[]", responseSeq: null };

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
    if (known) return { row: known, known: true };
    // Nothing is waited for between this look and the note that the start is under way.
    const again = this.#underWay(name, request);
    if (again) return { row: await again, known: true };
    const created = this.#create(request).finally(() => this.#pending.delete(name));
    this.#pending.set(name, { created, inputs: inputsDigest(request.inputs) });
    return { row: await created, known: false };
  }

  /** The run that another start with the same key is making. */
  #underWay(name: string, { inputs }: StartRequest): Promise<RunRecord> | undefined {
    const pending = this.#pending.get(name);
    if (pending && !pending.inputs.equals(inputsDigest(inputs))) throw new KeyReused();
    return pending?.created;
  }

  /** The run that an earlier start with the same key made. */
  async #known({ workflow, inputs }: StartRequest, key: string): Promise<RunRecord | undefined> {
    const known = await this.journals.startKeys.find(workflow, key, inputs);
    if (!known) return undefined;
    if (!known.same) throw new KeyReused();
    const row = await this.journals.runs.find(known.run);
    if (!row) throw new WrongState(`The run ${known.run}, which this key started, was deleted.`);
    return row;
  }

  async #create(request: StartRequest): Promise<RunRecord> {
    const workflow = await this.workflows.ready(request.workflow, request.text);
    const { inputs, faults } = checkInputs(workflow.inputs, request.inputs);
    if (faults.length > 0) throw new BadInputs(faults);
    if (this.runner.waiting(request.workflow) >= longestQueue)
      throw new QueueFull(`More than ${longestQueue} runs of ${request.workflow} are waiting already.`);
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
    const { key } = request;
    const inserts = [
      insert,
      ...(request.also?.(id) ?? []),
      ...(request.filesOf ? [inheritFiles(id, request.filesOf.run, request.filesOf.ids)] : []),
      ...(key === undefined
        ? []
        : [this.journals.startKeys.row(request.workflow, key, id, request.inputs, now)]),
    ];
    const journal = new RunJournal(this.journals, id, request.workflow, 0, emptySummary());
    const places = [
      ...secretInputs(workflow.inputs).map((place) => ["inputs", ...place]),
      ...(request.secretPlaces ?? []),
      ...secretPlaces(trigger as unknown as Json, ["trigger"]),
    ];
    const rows = startRows(started, places, request.secrets);
    const full = this.#full(workflow, request);
    if (full !== undefined) {
      const message = `Skipped: ${full} ("when-busy: skip").`;
      const entry: Entry = { type: "finished", at: now, state: "skipped", message, problems: 0 };
      rows.push({ entry, open: printJson(entry), sealed: undefined });
      await journal.write(rows, inserts);
      return { ...row, state: "skipped", endedAt: now, message };
    }
    // Counted before anything is waited for: two starts in one commit must not both find the last place free.
    const counted = [workflow.name, ...(request.shares ?? []).map((share) => share.name)];
    for (const name of counted) count(this.#beginning, name, 1);
    try {
      await journal.write(rows, inserts);
      this.journals.events.emit("state", id, request.workflow, "queued");
      await this.runner.enqueue(row, { fresh: { row, journal, entries: rows.map(({ entry }) => entry) } });
    } finally {
      for (const name of counted) count(this.#beginning, name, -1);
    }
    return row;
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
