import {
  advance,
  isObject,
  own,
  scopeOf,
  journalFormat,
  languageVersion,
  printForPeople,
  type CallStep,
  type Children,
  type Entry,
  type JournalRow,
  type JsonObject,
  type Principal,
  type Trigger,
  type Workflow,
} from "@copper-kettle/core";
import { newRunId } from "./ids.js";
import { portsOf } from "./ports.js";
import type { RunnerParts } from "./runner.js";

/** One look of a poll. */
export interface LookRequest {
  workflow: string;
  trigger: string;
  version: number;
  principal: Principal | undefined;
  call: CallStep;
  /** Names in scope of its call besides those of every run. */
  locals: JsonObject;
  signal: globalThis.AbortSignal;
  /** What an event brought, for the call that fetches what it names. */
  brought?: Trigger;
}

/** A reading call has no runs to start. */
const noChildren: Children = {
  start: () => Promise.reject(new Error("A look starts no runs.")),
  ended: () => Promise.resolve(undefined),
  stop: () => Promise.resolve(),
};

/**
 * Makes the call of a poll as a run of one step would: with its retries, pages and credential, in the name of who
 * published the version. It is a rehearsal, so that nothing but reading calls is sent, and its journal is not stored.
 */
export async function look(
  parts: RunnerParts,
  { workflow, trigger, version, principal, call, locals, signal, brought }: LookRequest,
): Promise<{ outcome: JsonObject } | { fault: string }> {
  const id = newRunId();
  const rows: JournalRow[] = [];
  const now = parts.clock.now();
  const started: Entry = {
    type: "started",
    at: now,
    format: journalFormat,
    language: languageVersion,
    workflow,
    version,
    origin: id,
    inputs: {},
    trigger: brought ?? { kind: "poll", name: trigger, id, at: new Date(now).toISOString() },
    options: { rehearsal: true },
  };
  const ports = portsOf(parts, {
    run: id,
    workflow,
    version,
    principal: principal ?? null,
    journal: { write: async (more) => void rows.push(...more) },
    children: () => noChildren,
    respond: () => undefined,
    often: `poll ${workflow} ${trigger}`,
  });
  const one: Workflow = { name: workflow, triggers: {}, limits: { whenBusy: "queue" }, steps: [call] };
  const signals = { stop: signal, pause: signal, rouse: signal, cut: signal };
  const result = await advance(one, { id, origin: id, version }, ports, [started], signals, locals);
  const entries = [started, ...rows.map(({ entry }) => entry)];
  const outcome =
    result.state === "succeeded" ? own(stepsOf(scopeOf(entries, { id })), call.name) : undefined;
  if (isObject(outcome)) return { outcome };
  if (result.error) return { fault: result.error.message };
  return {
    fault:
      result.until === undefined
        ? "It gave no response."
        : `It would have to wait for ${printForPeople(Math.max(0, result.until - parts.clock.now()))}.`,
  };
}

const stepsOf = ({ steps }: JsonObject): JsonObject => (isObject(steps) ? steps : {});
