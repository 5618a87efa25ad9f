import { printForPeople } from "../values/durations.js";
import { printJson } from "../values/json.js";
import type { Workflow } from "../workflows/steps.js";
import type { ValueMap } from "../expressions/values.js";
import { languageVersion, type Entry, type RunError, type RunState } from "./entries.js";
import { isReadable } from "./formats.js";
import { lookAgainMillis, mostWaits, type Wait } from "./awaited.js";
import { RunLog } from "./replayed.js";
import type { Ports } from "./ports.js";
import { Asleep, CannotReplay, Paused, StepFailed, Stopped, TimedOut, Unsure } from "./signals.js";
import type { Frame, RunFacts } from "./frame.js";
import type { Signals } from "./progress.js";
import { walkStep } from "./steps/index.js";
import { Walk } from "./walk.js";

/** Where a run stands after it was taken as far as it goes now. */
export interface Advanced {
  /** `queued` when the service is going down and the run goes on at its next start. */
  state: RunState;
  /** When to go on, in milliseconds since 1970; with `waiting`, unless it waits for a person. */
  until?: number;
  error?: RunError;
}

/**
 * Takes a run as far as it goes: walks it from the top, takes each outcome that the journal holds without doing
 * anything, and acts from the first that it lacks. What happened is in the journal when this resolves.
 * @throws what the journal's write threw; nothing else
 */
export async function advance(
  workflow: Workflow,
  facts: RunFacts,
  ports: Ports,
  entries: Iterable<Entry>,
  signals: Signals,
  /** Names in scope besides those of every run. */
  locals: ValueMap = {},
): Promise<Advanced> {
  const log = new RunLog(entries);
  if (!log.started || !isReadable(log.started.format) || (log.started.language ?? 1) > languageVersion) {
    const reason =
      "The journal of this run was written by an older version of the engine, which this one cannot continue. Start the workflow again, or stop this run.";
    const entry: Entry = { type: "rested", at: ports.clock.now(), state: "parked", reason };
    await ports.journal.write([{ entry, open: printJson(entry), sealed: undefined }]);
    return { state: "parked" };
  }
  const walk = new Walk(workflow, facts, ports, log, signals, walkStep);
  const frame: Frame = {
    prefix: "",
    log: log.root,
    steps: {},
    locals,
    problems: { count: 0 },
    halted: () => false,
    ...deadlineOf(workflow, log, ports),
  };
  const end = async (
    state: RunState,
    more: { error?: RunError; message?: string } = {},
  ): Promise<Advanced> => {
    walk.write.note({
      type: "finished",
      at: ports.clock.now(),
      state,
      problems: frame.problems.count,
      ...more,
    });
    await walk.write.commit();
    return { state, ...(more.error ? { error: more.error } : {}) };
  };
  const rest = async (how: {
    state: "waiting" | "unsure" | "parked";
    until?: number;
    path?: string;
    reason?: string;
    waits?: Wait[];
  }): Promise<Advanced> => {
    walk.write.note({ type: "rested", at: ports.clock.now(), ...how });
    await walk.write.commit();
    const { state, until } = how;
    return { state, ...(until === undefined ? {} : { until }) };
  };
  try {
    await walk.steps(workflow.steps, frame);
    return await end("succeeded");
  } catch (signal) {
    if (signal instanceof StepFailed) return end("failed", { error: signal.error });
    if (signal instanceof Stopped) {
      const message = signal.text === undefined ? {} : { message: signal.text };
      if (signal.state !== "failed") return end(signal.state, message);
      return end("failed", {
        error: {
          code: "failed",
          message: signal.text ?? "Ended by a fail step.",
          step: signal.path,
        },
      });
    }
    if (signal instanceof TimedOut) {
      const limit = printForPeople(workflow.limits.within ?? 0);
      const message = `The run was not done within ${limit}, as the limits of its workflow say.`;
      return end("failed", { error: { code: "timed-out", message } });
    }
    if (signal instanceof Asleep) {
      const { path, waits } = signal;
      const many = waits.length > mostWaits;
      const until = many ? Math.min(signal.until, ports.clock.now() + lookAgainMillis) : signal.until;
      return rest({
        state: "waiting",
        path,
        ...(Number.isFinite(until) ? { until } : {}),
        ...(waits.length > 0 ? { waits: waits.slice(0, mostWaits), reason: waits[0]?.reason ?? "" } : {}),
      });
    }
    if (signal instanceof Unsure) return rest({ state: "unsure", path: signal.path });
    if (signal instanceof CannotReplay) return rest({ state: "parked", reason: signal.message });
    if (signal instanceof Paused) {
      await walk.write.commit();
      return { state: "queued" };
    }
    throw signal;
  }
}

/** When the time of the whole run is over: counted from when it first did something. */
function deadlineOf(workflow: Workflow, log: RunLog, { clock }: Ports): { deadline?: { at: number } } {
  const { within } = workflow.limits;
  return within === undefined ? {} : { deadline: { at: (log.beganAt ?? clock.now()) + within } };
}
