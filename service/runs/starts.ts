import {
  journalFormat,
  languageVersion,
  leastLength,
  printJson,
  valueAt,
  type Decision,
  type Entry,
  type Json,
  type JsonObject,
  type Path,
  type RunOptions,
  type Trigger,
  type Workflow,
  calledApis,
  emptySummary,
  leafTexts,
  MaskSet,
  secretPlaces,
} from "@copper-kettle/core";
import { randomUUID } from "node:crypto";
import type { ApiStore } from "../store/apis.js";
import type { JournalStore } from "../store/journal.js";
import { isConflict } from "../store/faults.js";
import { RunJournal } from "../store/run-journal.js";
import type { RunRecord } from "../store/models.js";
import type { WorkflowStore } from "../store/workflows.js";
import { OneAtATime } from "../one-at-a-time.js";
import { shownOptions } from "./rehearsed.js";
import { maskedRow, secretChanges, startRows } from "./masked-rows.js";
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
  /** In whose name it uses credentials: who published its version, or starts its draft. */
  principal: string;
  /** The run and step that start it. */
  caller?: NonNullable<Trigger["caller"]>;
  /** Whether the caller waits for it. */
  waited?: boolean;
  /** What has to be masked in it, besides its own. */
  secrets?: string[];
  /** Places that hold secrets, besides those that its inputs say: in the inputs, in fixed results, in steps. */
  secretPlaces?: Path[];
  options?: RunOptions;
  /** The run whose ids it takes; missing: its own. */
  origin?: string;
}

const longestQueue = 10_000;

/** How often a person's act is tried while the run writes at the same time. */
const mostTries = 5;

/** What there is of a run that has done nothing yet, as its row has it. */
const unbegun = { ...emptySummary(), error: null, unsure: "[]", waits: "[]", responseSeq: null };

/** What a person says of an unsure call. */
export interface Decided {
  /** The step; undefined while only one is unsure. */
  path?: string | undefined;
  /** The attempt that they saw. */
  attempt: number;
  outcome?: Json | undefined;
  by: string;
}

/** Starts, stops and decides runs; all of it is durable before it is answered. */
export class Starts {
  /** Starts under way, by workflow and key, so that two at once are one. */
  readonly #pending = new Map<string, Promise<RunRecord>>();
  /** Runs of each workflow that are on their way into the queue. */
  readonly #beginning = new Map<string, number>();
  /** What people do to a run, one after another. */
  readonly #acts = new OneAtATime();

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
    const known = await this.journals.runs.byKey(request.workflow, request.key);
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
      throw new QueueFull(`More than ${longestQueue} runs of ${request.workflow} are waiting already.`);
    const id = newRunId();
    const now = Date.now();
    const { caller, options, origin = id } = request;
    const trigger: Trigger = {
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
      principal: request.principal,
      options: options ? printJson(shownOptions(options)) : null,
      repeats: options?.from?.run ?? null,
      ...unbegun,
    };
    const insert = {
      key: `new run ${id}`,
      into: "runs (id, workflow, version, text, origin, state, trigger, start_key, created_at, parent, principal, options, repeats)",
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
        row.principal,
        row.options,
        row.repeats,
      ],
    };
    const journal = new RunJournal(this.journals, id, request.workflow, 0, emptySummary());
    const places = [
      ...secretInputs(workflow.inputs).map((place) => ["inputs", ...place]),
      ...(request.secretPlaces ?? []),
    ];
    const rows = startRows(started, places, request.secrets);
    const { name } = workflow;
    const beginning = this.#beginning.get(name) ?? 0;
    if (this.#isSkipped(workflow, beginning)) {
      const message = `Skipped: ${workflow.limits.parallel ?? 0} runs of ${request.workflow} were active ("when-busy: skip").`;
      const entry: Entry = { type: "finished", at: now, state: "skipped", message, problems: 0 };
      rows.push({ entry, open: printJson(entry), sealed: undefined });
      await journal.write(rows, insert);
      return { ...row, state: "skipped", endedAt: now, message };
    }
    // Counted before anything is waited for: two starts in one commit must not both find the last place free.
    this.#beginning.set(name, beginning + 1);
    try {
      await journal.write(rows, insert);
      this.journals.events.emit("state", id, request.workflow, "queued");
      await this.runner.enqueue(row, { fresh: { row, journal, entries: rows.map(({ entry }) => entry) } });
    } finally {
      const left = (this.#beginning.get(name) ?? 1) - 1;
      if (left > 0) this.#beginning.set(name, left);
      else this.#beginning.delete(name);
    }
    return row;
  }

  /** Whether a start is left out, since as many runs go on as may. */
  #isSkipped({ name, limits }: Workflow, beginning: number): boolean {
    if (limits.whenBusy !== "skip" || limits.parallel === undefined) return false;
    return this.runner.places(name) + beginning >= limits.parallel;
  }

  /** What a person does to a run, on the run as it is then; again if the run itself wrote to its journal meanwhile. */
  #act(row: RunRecord, work: (now: RunRecord) => Promise<void>): Promise<void> {
    return this.#acts.run(async () => {
      for (let tries = 1; ; tries++) {
        try {
          return await work((await this.journals.runs.find(row.id)) ?? row);
        } catch (error) {
          if (!isConflict(error) || tries >= mostTries) throw error;
        }
      }
    }, row.id);
  }

  /** Stops a run: after its step, or now. One that is not acting stops at once. */
  stop(row: RunRecord, how: { now: boolean; by: string }): Promise<void> {
    return this.#act(row, (now) => this.#stop(now, how));
  }

  async #stop(row: RunRecord, how: { now: boolean; by: string }): Promise<void> {
    if (row.endedAt !== null) throw hasEnded(row.state);
    // What it called and waits for stops with it, before this is answered.
    if (await this.runner.stop(row.id, how)) return this.runner.children.stopCalled(row.id);
    this.runner.forget(row.id, row.workflow);
    const { journal } = await this.journals.load(row.id, row.workflow);
    // It may have come to its own end since its row was read.
    if (journal.summary.endedAt !== null) throw hasEnded(journal.summary.state);
    const at = Date.now();
    await write(journal, [
      { type: "stopping", at, by: how.by },
      { type: "finished", at, state: "stopped", message: "Stopped by hand.", problems: 0 },
    ]);
    await this.runner.ended(row.id);
  }

  /** Goes on with a run that stopped at a breakpoint, with values that somebody changed there. */
  resume(row: RunRecord, changes: { place: Path; value: Json }[], by: string): Promise<void> {
    return this.#act(row, (now) => this.#resume(now, changes, by));
  }

  async #resume(row: RunRecord, changes: { place: Path; value: Json }[], by: string): Promise<void> {
    const { journal, entries } = await this.journals.load(row.id, row.workflow);
    const path = journal.summary.waits.find(({ kind }) => kind === "breakpoint")?.name;
    if (row.state !== "waiting" || path === undefined)
      throw new WrongState(`The run is not at a breakpoint: it is ${row.state}.`);
    const at = Date.now();
    const known = entries.flatMap((entry) => (entry.type === "secrets" ? [entry] : []));
    const masked = secretChanges(
      changes,
      known.flatMap(({ places }) => places),
    );
    const entry: Entry = {
      type: "decided",
      decision: "continue",
      at,
      path,
      by,
      ...(changes.length > 0 ? { changes } : {}),
      ...(masked.length > 0 ? { masked } : {}),
    };
    const values = masked.flatMap((place) => leafTexts(valueAt(entry as unknown as Json, place) ?? null));
    const masks = new MaskSet();
    masks.add([...known.flatMap((one) => one.values), ...values]);
    const long = values.filter((text) => text.length >= leastLength);
    const secrets: Entry = { type: "secrets", at, values: long, places: [] };
    const rows: Entry[] = long.length > 0 ? [secrets, entry] : [entry];
    await journal.write(rows.map((one) => maskedRow(one, masks)));
    await this.runner.enqueue(row, { first: true });
  }

  /** Resumes a parked run. */
  release(row: RunRecord, by: string): Promise<void> {
    return this.#act(row, (now) => this.#release(now, by));
  }

  async #release(row: RunRecord, by: string): Promise<void> {
    if (row.state !== "parked") throw new WrongState(`The run is not parked: it is ${row.state}.`);
    const { journal } = await this.journals.load(row.id, row.workflow);
    await write(journal, [{ type: "decided", decision: "resume", at: Date.now(), path: "", by }]);
    await this.runner.enqueue(row, { first: true });
  }

  /** Keeps what a person decides about an unsure call, and lets the run go on. */
  decide(row: RunRecord, decision: Decision, given: Decided): Promise<void> {
    return this.#act(row, (now) => this.#decide(now, decision, given));
  }

  async #decide(row: RunRecord, decision: Decision, given: Decided): Promise<void> {
    if (this.runner.isActive(row.id))
      throw new WrongState("The run is still active in other branches. Decide when it rests.");
    const { journal, entries } = await this.journals.load(row.id, row.workflow);
    const unsure = journal.summary.unsure;
    if (row.endedAt !== null || unsure.length === 0)
      throw new WrongState(`Nothing to decide: the run is ${journal.summary.state}.`);
    const path = given.path ?? (unsure.length === 1 ? unsure[0]?.path : undefined);
    const asked = unsure.find((item) => item.path === path);
    if (!asked) throw new WrongState(`Name the step: ${unsure.map((item) => item.path).join(", ")}.`);
    if (asked.attempt !== given.attempt)
      throw new WrongState(
        `You decided about attempt ${given.attempt} of ${asked.path}, but attempt ${asked.attempt} is unsure now. Look at the run again before you decide.`,
      );
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

function hasEnded(state: string): WrongState {
  return new WrongState(`The run has ended already: it is ${state}.`);
}

async function write(journal: RunJournal, entries: Entry[]): Promise<void> {
  await journal.write(entries.map((entry) => ({ entry, open: printJson(entry), sealed: undefined })));
}
