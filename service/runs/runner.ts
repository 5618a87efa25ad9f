import {
  advance,
  printJson,
  bounds,
  type Advanced,
  type Entry,
  type JsonObject,
  type Signals,
  type Principal,
  readPrincipal,
  printPrincipal,
} from "@copper-kettle/core";
import { EventEmitter, setMaxListeners } from "node:events";
import type { RunJournal } from "../store/run-journal.js";
import type { RunRecord } from "../store/models.js";
import type { Woken } from "../store/waits.js";
import type { ChildRuns } from "./children.js";
import { RunFaults } from "./faults.js";
import { continueRunIds } from "./ids.js";
import { portsOf } from "./ports.js";
import type { RunnerParts } from "./runner-parts.js";
import { readShares, TurnQueue, type Turn } from "./queue.js";

/** A response as it goes to a starter that waits. */
export interface StarterResponse {
  status: number;
  headers: JsonObject;
  body: unknown;
}

interface RunnerEvents {
  response: [run: string, response: StarterResponse];
  rested: [run: string, result: Advanced];
  /** A run that has not begun, and is not to: a later one takes its place. */
  leftOut: [run: string, later: string];
}

/** A run that was just written to the store. */
export interface Fresh {
  row: RunRecord;
  entries: Entry[];
  journal: RunJournal;
}

/** How an active run is asked to end or to rest. */
interface Active {
  /** Its one journal, once it is loaded; undefined if there is nothing to do. */
  journal: Promise<RunJournal | undefined>;
  loaded: (journal?: RunJournal) => void;
  stop: AbortController;
  /** Aborted with `stop`, and when the service goes down. */
  rouse: AbortController;
  cut: AbortController;
}

/** Takes runs as far as they go: in turns, asleep until their time, and again after a stop of any kind. */
export class Runner {
  readonly events = new EventEmitter<RunnerEvents>();
  /** What starts runs for steps; given once it is there. */
  children!: ChildRuns;
  /** Why runs could not go on lately, and how often. */
  readonly faults: RunFaults;
  readonly #active = new Map<string, Active>();
  readonly #pause = new AbortController();
  readonly #pausedBy = new Set<"person" | "disk">();
  readonly #queue: TurnQueue;
  /** Sleeping runs that were woken and wait for their turn. */
  readonly #woken = new Set<string>();
  /** Runs that were woken while they were still on their way to rest. */
  readonly #wokenEarly = new Set<string>();
  /** Runs that were just started: what would be read from the store is still at hand. */
  readonly #fresh = new Map<string, Fresh>();
  #waking: Promise<void> = Promise.resolve();
  #timer: NodeJS.Timeout | undefined;
  #idle: (() => void) | undefined;

  constructor(readonly parts: RunnerParts) {
    this.events.setMaxListeners(0);
    this.faults = new RunFaults(parts);
    this.#queue = new TurnQueue(
      bounds.actingRuns,
      (turn) => this.#act(turn),
      ({ run }, later) => {
        this.#fresh.delete(run);
        this.events.emit("leftOut", run, later);
      },
      bounds.reservedTurns,
    );
    parts.journals.writer.events.on("woken", (runs) => this.#goOn(runs));
  }

  /** Goes on with every run that was under way when the service last ended. */
  async start(): Promise<void> {
    const { runs } = this.parts.journals;
    const rows = await runs.unended();
    const newest = await runs.newestId();
    if (newest !== undefined) continueRunIds(newest);
    const begun = new Set(["running", "waiting", "unsure", "parked"]);
    for (const row of rows)
      if (begun.has(row.state))
        this.#queue.hold(row.id, row.workflow, readShares(row.shares), { place: row.state === "waiting" });
    for (const row of rows) if (row.state === "queued" || row.state === "running") await this.enqueue(row);
    await this.children.stopCalled();
    this.#wakeSoon();
  }

  /** What runs wait for has come, durably: they are queued. */
  #goOn(runs: Woken[]): void {
    for (const run of runs) {
      this.parts.journals.events.emit("state", run.id, run.workflow, "queued");
      if (this.#active.has(run.id)) this.#wokenEarly.add(run.id);
      else
        this.#wakeOne(run).catch((error: unknown) =>
          this.parts.log.error({ err: error, run: run.id }, "a run could not be woken"),
        );
    }
  }

  /** What a run waits for came while it went to rest, or somebody stopped it then. */
  async #again(run: string): Promise<void> {
    const row = await this.parts.journals.runs.find(run);
    if (row) await this.#wakeOne(row);
  }

  /** A run that was not active was stopped: its locks are free, and what it waited for would go on for nobody. */
  async ended(run: string): Promise<void> {
    this.parts.locks.releaseAll(run);
    this.events.emit("rested", run, { state: "stopped" });
    await this.children.stopCalled(run);
  }

  /** Begins no more runs, until all who asked for that let it go on; those that act come to their end, or to rest. */
  pauseAll(paused: boolean, by: "person" | "disk" = "person"): void {
    if (paused) this.#pausedBy.add(by);
    else this.#pausedBy.delete(by);
    this.#queue.pause(this.#pausedBy.size > 0);
  }

  /** Whether all runs rest. */
  get paused(): boolean {
    return this.#pausedBy.size > 0;
  }

  /** How many runs of a workflow hold a place. */
  places(workflow: string): number {
    return this.#queue.places(workflow) + this.#queue.waiting(workflow);
  }

  async #wakeOne(row: Woken): Promise<void> {
    if (this.#woken.has(row.id) || this.#active.has(row.id)) return;
    this.#woken.add(row.id);
    await this.enqueue(row, { first: true });
  }

  /** Puts a run into the queue. */
  async enqueue(
    row: Woken,
    options: { first?: boolean; fresh?: Fresh; awaited?: boolean } = {},
  ): Promise<void> {
    if (this.#pause.signal.aborted) return;
    // A long queue must not hold its runs in memory.
    if (options.fresh && this.#fresh.size < bounds.actingRuns) this.#fresh.set(row.id, options.fresh);
    const { workflow } = await this.parts.workflows.parsed(row.text);
    const { id: run, workflow: name } = row;
    const shares = readShares(row.shares);
    const { awaited = false } = options;
    this.#queue.add({ run, workflow: name, parallel: workflow?.limits.parallel, shares, awaited }, options);
  }

  /** How many runs act at the moment. */
  get acting(): number {
    return this.#active.size;
  }

  /** Whether runs wait for a turn that others hold: whoever only waits should give its turn back. */
  get crowded(): boolean {
    return this.#queue.crowded;
  }

  isActive(run: string): boolean {
    return this.#active.has(run);
  }

  waiting(workflow: string): number {
    return this.#queue.waiting(workflow);
  }

  /**
   * Asks an active run to stop; false when it is not active, or has just ended. Resolves when it is durable that the run is
   * to stop: after a kill it ends at its next start.
   */
  async stop(run: string, { now, by }: { now: boolean; by: Principal }): Promise<boolean> {
    const active = this.#active.get(run);
    const journal = await active?.journal;
    // From here to the write nothing else acts: the run sees it before it is at rest, or is not active any more.
    if (!active || this.#active.get(run) !== active) return false;
    if (!journal || journal.summary.endedAt !== null) return false;
    const entry: Entry = { type: "stopping", at: this.parts.clock.now(), by: printPrincipal(by) };
    const noted = journal.summary.stopping
      ? undefined
      : journal.write([{ entry, open: printJson(entry), sealed: undefined }]);
    // While that becomes durable, the run begins nothing more.
    active.stop.abort();
    active.rouse.abort();
    if (now) active.cut.abort();
    await noted;
    return true;
  }

  /** The run that goes first, of one that waits since only so many of its kind go side by side. */
  behind(run: string): string | undefined {
    return this.#queue.behind(run);
  }

  /** How many runs that have not ended have a share. */
  sharing(name: string): number {
    return this.#queue.sharing(name);
  }

  /** Takes a run that is not active out of all queues. */
  forget(run: string, workflow: string): void {
    this.#fresh.delete(run);
    this.#woken.delete(run);
    this.#queue.remove(run, workflow);
  }

  /** Lets what is being sent finish within a grace time, and leaves the rest for the next start. */
  async close(graceMillis: number): Promise<void> {
    clearTimeout(this.#timer);
    // Turns that come free now are nobody's.
    this.#queue.pause(true);
    this.#pause.abort();
    for (const active of this.#active.values()) active.rouse.abort();
    await this.#waking;
    if (this.#active.size === 0) return;
    const grace = setTimeout(() => {
      for (const active of this.#active.values()) active.cut.abort();
    }, graceMillis);
    await new Promise<void>((resolve) => {
      this.#idle = resolve;
      if (this.#active.size === 0) resolve();
    });
    clearTimeout(grace);
  }

  /** Wakes what is due, and sets the timer for what comes next. */
  async #wake(): Promise<void> {
    const now = this.parts.clock.now();
    const { runs } = this.parts.journals;
    // What was woken says `waiting` in the store until it acts: it is found again, and takes none of the places.
    const limit = bounds.actingRuns + this.#woken.size;
    const due = await runs.due(now, limit);
    for (const row of due) await this.#wakeOne(row);
    const later = await runs.nextDue(now);
    if (this.#pause.signal.aborted) return;
    const next = due.length >= limit ? now + 100 : later;
    clearTimeout(this.#timer);
    if (typeof next === "number")
      this.#timer = setTimeout(() => this.#wakeSoon(), Math.min(next - now, 3_600_000));
  }

  #wakeSoon(): void {
    if (this.#pause.signal.aborted) return;
    this.#waking = this.#waking
      .then(() => this.#wake())
      .catch((error: unknown) => {
        this.parts.log.error({ err: error }, "sleeping runs could not be looked up");
        this.#timer = setTimeout(() => this.#wakeSoon(), bounds.runFaultPause);
      });
  }

  #act(turn: Turn): void {
    this.#actOn(turn).catch((error: unknown) =>
      this.parts.log.error({ err: error, run: turn.run }, "what follows a run's rest was not done"),
    );
  }

  async #actOn(turn: Turn): Promise<void> {
    const { run, workflow } = turn;
    if (this.#active.has(run) || this.#pause.signal.aborted)
      return this.#queue.rested(run, workflow, { keepsPlace: this.#active.has(run) });
    let loaded: Active["loaded"] = () => undefined;
    const active: Active = {
      journal: new Promise((resolve) => (loaded = resolve)),
      loaded,
      stop: new AbortController(),
      rouse: new AbortController(),
      cut: new AbortController(),
    };
    // As many listen as calls of the run are under way at once.
    setMaxListeners(0, active.rouse.signal, active.cut.signal);
    this.#active.set(run, active);
    this.#woken.delete(run);
    let result: Advanced | undefined;
    let again = false;
    try {
      result = await this.#advance(run, active);
      this.faults.wentOn(run);
      if (result)
        this.parts.log.info({ run, workflow, state: result.state, error: result.error?.code }, "run rested");
    } catch (error) {
      if (await this.faults.holds(turn, error)) result = { state: "parked" };
      else if (!this.#pause.signal.aborted) {
        again = true;
        setTimeout(() => this.#queue.add(turn), bounds.runFaultPause).unref();
      }
    }
    active.loaded();
    this.#active.delete(run);
    this.#queue.rested(run, workflow, {
      keepsPlace: result?.state === "waiting",
      keepsShares: again || (result !== undefined && !isEnd(result.state)),
    });
    const early = this.#wokenEarly.delete(run);
    if (result && isEnd(result.state)) this.parts.locks.releaseAll(run);
    if (result) this.events.emit("rested", run, result);
    if (result?.state === "waiting") this.#wakeSoon();
    const summary = (await active.journal)?.summary;
    if (result && isEnd(result.state)) {
      // One that it waited for and gave up would go on for nobody.
      if (result.state !== "succeeded" || (summary?.problems ?? 0) > 0) await this.children.stopCalled(run);
    } else if (result && (early || summary?.stopping)) await this.#again(run);
    if (this.#active.size === 0) this.#idle?.();
  }

  async #advance(run: string, active: Active): Promise<Advanced | undefined> {
    const { journals, workflows } = this.parts;
    const fresh = this.#fresh.get(run);
    this.#fresh.delete(run);
    const row = fresh?.row ?? (await journals.runs.find(run));
    if (!row || (row.endedAt ?? null) !== null) return undefined;
    const workflow = await workflows.ready(row.workflow, row.text);
    const { entries, journal } = fresh && !row.repeats ? fresh : await journals.loadWhole(row);
    active.loaded(journal);
    const signals: Signals = {
      stop: active.stop.signal,
      pause: this.#pause.signal,
      rouse: active.rouse.signal,
      cut: active.cut.signal,
    };
    const ports = portsOf(this.parts, {
      run,
      workflow: row.workflow,
      version: row.version,
      principal: readPrincipal(row.principal ?? "") ?? null,
      journal,
      children: (granted) => this.children.of(run, granted),
      respond: (response) => this.events.emit("response", run, response),
    });
    return advance(workflow, { id: run, origin: row.origin, version: row.version }, ports, entries, signals);
  }
}

function isEnd(state: Advanced["state"]): boolean {
  return state === "succeeded" || state === "failed" || state === "stopped" || state === "skipped";
}
