import type { Logger } from "pino";
import { look, type LookRequest } from "../runs/look.js";
import type { Runner } from "../runs/runner.js";
import type { Starts } from "../runs/starts.js";
import type { ConstantStore } from "../store/constants.js";
import { LookStore } from "../store/looks.js";
import { SeenStore } from "../store/seen.js";
import type { WorkflowStore } from "../store/workflows.js";
import { Events } from "./events.js";
import { Fetching } from "./fetching.js";
import { Polls } from "./polls.js";
import { Schedules } from "./schedules.js";

interface AssemblyParts {
  starts: Starts;
  runner: Runner;
  workflows: WorkflowStore;
  constants: ConstantStore;
  log: Logger;
  now: () => number;
}

/** Puts together what takes in events, fetches what they name, looks at APIs, and starts what is due. */
export function assembleTriggers({ starts, runner, workflows, constants, log, now }: AssemblyParts) {
  const { triggers, writer, events: store } = workflows;
  const events = new Events({ starts, workflows, events: store, constants, writer, now });
  const lookAt = (request: LookRequest) => look(runner.parts, request);
  const fetching = new Fetching({ events, store, workflows, look: lookAt, log });
  const seen = new SeenStore(writer, store.sealer);
  const looks = new LookStore(writer);
  const waiting = (workflow: string): number => runner.waiting(workflow);
  const polls = new Polls({ seen, looks, workflows, constants, events, look: lookAt, waiting, log, now });
  const paused = (): boolean => runner.paused;
  const schedules = new Schedules({ triggers, polls, workflows, constants, events, paused, log, now });
  return {
    events,
    seen,
    looks,
    schedules,
    async start(): Promise<void> {
      await fetching.start();
      await schedules.start();
    },
    async close(): Promise<void> {
      await schedules.close();
      await fetching.close();
    },
  };
}
