import {
  ChildRefused,
  type ChildEnd,
  type ChildStart,
  type Children,
  type JsonObject,
  type Principal,
  type Trigger,
} from "@copper-kettle/core";
import type { JournalStore } from "../store/journal.js";
import type { RunRecord } from "../store/models.js";
import { filesIn } from "../store/files.js";
import { callKey } from "../store/start-keys.js";
import type { WorkflowStore } from "../store/workflows.js";
import { parseJson, type RunError } from "@copper-kettle/core";
import type { RunActs } from "./acts.js";
import type { Granted } from "./granted.js";
import type { Runner } from "./runner.js";
import type { Starts } from "./starts.js";
import { BadInputs, QueueFull, WrongState } from "./start-request.js";

/** How many calls may lie above a run: one that calls itself for ever is stopped there. */
const deepest = 20;

/** So often a workflow may come up in one chain of calls within so many milliseconds. */
const mostAgain = 3;
const circleMillis = 60_000;

/** How often one who waits in memory looks whether its turn is needed, in milliseconds. */
const lookMillis = 1_000;

/** Runs that steps of other runs start. */
export class ChildRuns {
  constructor(
    readonly parts: {
      starts: Starts;
      acts: RunActs;
      runner: Runner;
      journals: JournalStore;
      workflows: WorkflowStore;
    },
  ) {}

  /** The runs that one run starts. */
  of(run: string, granted: Granted): Children {
    return {
      start: async (child) => {
        granted.requireWorkflow(child.workflow);
        return this.#start(run, child);
      },
      ended: (child, millis, signal) => this.#ended(child, millis, signal as globalThis.AbortSignal),
      stop: (child) => this.stop(child, { kind: "run", id: run }),
    };
  }

  /** Stops a run that has not ended. One that ends by itself meanwhile is left as it is. */
  async stop(id: string, by: Principal): Promise<void> {
    const row = await this.parts.journals.runs.find(id);
    if (!row || row.endedAt !== null) return;
    try {
      await this.parts.acts.stop(row, { now: false, by });
    } catch (error) {
      if (!(error instanceof WrongState)) throw error;
    }
  }

  /** Stops the runs that a run called and waits for, or would wait for; without a run, those of all runs that have ended. */
  async stopCalled(run?: string): Promise<void> {
    for (const { id, parent } of await this.parts.journals.runs.called(run))
      await this.stop(id, { kind: "run", id: parent });
  }

  async #start(run: string, child: ChildStart): Promise<string> {
    if (child.depth > deepest)
      throw new ChildRefused(
        "too-deep",
        `${child.workflow} would be called ${child.depth} levels deep, but ${deepest} is the most. Does a workflow call itself?`,
      );
    if (child.depth >= mostAgain) await this.#requireNoCircle(run, child.workflow);
    const found = await this.parts.workflows.startable(child.workflow);
    if (!found?.published)
      throw new ChildRefused(
        "no-workflow",
        found
          ? `The workflow ${child.workflow} was never published.`
          : `There is no workflow "${child.workflow}".`,
      );
    const files = filesIn(child.inputs);
    try {
      const { row } = await this.parts.starts.start({
        workflow: child.workflow,
        ...found.published,
        inputs: child.inputs,
        key: callKey(run, child.path),
        by: { kind: "run", id: run },
        ...(files.length > 0 ? { filesOf: { kind: "run", id: run, ids: files } } : {}),
        caller: { run, path: child.path, depth: child.depth },
        waited: child.waits,
        secrets: child.secrets,
        secretPlaces: child.secretPlaces.map((place) => ["inputs", ...place]),
        ...(child.rehearsal ? { options: { rehearsal: true } } : {}),
      });
      return row.id;
    } catch (error) {
      if (error instanceof BadInputs)
        throw new ChildRefused("bad-inputs", `${child.workflow}: ${error.message}`);
      if (error instanceof QueueFull) throw new ChildRefused("busy", error.message);
      throw error;
    }
  }

  /** A workflow that comes up in its own chain again and again, and fast, would go on for ever. */
  async #requireNoCircle(run: string, workflow: string): Promise<void> {
    const names = [workflow];
    const since = Date.now() - circleMillis;
    let again = 1;
    for (let at: string | undefined = run; at !== undefined && names.length <= deepest;) {
      const row: RunRecord | undefined = await this.parts.journals.runs.find(at);
      if (!row) return;
      names.unshift(row.workflow);
      if (row.workflow === workflow && row.createdAt >= since) again++;
      at = (parseJson(row.trigger) as unknown as Trigger).caller?.run;
    }
    if (again <= mostAgain) return;
    const message = `${workflow} would run for the ${again}th time within a minute in one chain: ${names.join(" → ")}.`;
    throw new ChildRefused("too-deep", `${message} Does a workflow call itself?`);
  }

  async #ended(child: string, millis: number, signal: globalThis.AbortSignal): Promise<ChildEnd | undefined> {
    let look: () => void = () => undefined;
    const onRested = (id: string): void => {
      if (id === child) look();
    };
    this.parts.runner.events.on("rested", onRested);
    const end = Date.now() + millis;
    try {
      for (;;) {
        const moved = new Promise<void>((resolve) => (look = resolve));
        const known = await this.#end(child);
        const left = end - Date.now();
        // A turn is not held by one who only waits while others need it: 500 parents would leave none to their children.
        if (known || left <= 0 || signal.aborted || this.parts.runner.crowded) return known;
        await firstOf(moved, Math.min(left, lookMillis), signal);
      }
    } finally {
      this.parts.runner.events.off("rested", onRested);
    }
  }

  async #end(child: string): Promise<ChildEnd | undefined> {
    const row = await this.parts.journals.runs.find(child);
    if (!row)
      return {
        state: "failed",
        secrets: [],
        masked: [],
        error: { code: "no-run", message: `The run ${child} was deleted.` },
      };
    if (row.endedAt === null || row.endedAt === undefined) return undefined;
    const given = await this.parts.journals.maskedResponse(child);
    return {
      state: row.state as ChildEnd["state"],
      ...(given ? { response: given.response as unknown as JsonObject } : {}),
      masked: given?.masked ?? [],
      ...(row.error ? { error: parseJson(row.error) as unknown as RunError } : {}),
      secrets: await this.parts.journals.secrets(child),
    };
  }
}

function firstOf(moved: Promise<void>, millis: number, signal: globalThis.AbortSignal): Promise<void> {
  return new Promise((resolve) => {
    const end = (): void => {
      clearTimeout(timer);
      signal.removeEventListener("abort", end);
      resolve();
    };
    const timer = setTimeout(end, millis);
    signal.addEventListener("abort", end, { once: true });
    void moved.then(end);
  });
}
