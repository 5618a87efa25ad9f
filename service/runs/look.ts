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
  type HttpRequest,
  type HttpResponse,
  type JournalRow,
  type JsonObject,
  type Principal,
  type SendOptions,
  type Transport,
  type Trigger,
  type Workflow,
} from "@copper-kettle/core";
import type { LookEntry } from "../store/looks.js";
import type { Validators } from "../store/seen.js";
import { newRunId } from "./ids.js";
import { portsOf } from "./ports.js";
import type { RunnerParts } from "./runner-parts.js";

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
  /** What the response was known by at the last look: one that is the same need not be sent again. */
  validators?: Validators | undefined;
  /** What an event brought, for the call that fetches what it names. */
  brought?: Trigger;
}

/** What a look gave; `unchanged`: what it gave the last time. */
export type Looked = ({ outcome: JsonObject } | { fault: string } | { unchanged: true }) & {
  /** What was sent and what came back. */
  shown: LookEntry[];
};

/** Asks only for a response that is another than the last one (RFC 9110, section 13). */
class Conditional implements Transport {
  unchanged = false;

  constructor(
    readonly inner: Transport,
    readonly validators: Validators | undefined,
  ) {}

  async send(request: HttpRequest, options: SendOptions): Promise<HttpResponse> {
    const { etag, lastModified } = this.validators ?? {};
    const own = new Set(request.headers.map(([name]) => name.toLowerCase()));
    if ((etag ?? lastModified) === undefined || own.has("if-none-match") || own.has("if-modified-since"))
      return this.inner.send(request, options);
    const asked: [string, string][] = [
      ...(etag === undefined ? [] : [["If-None-Match", etag] as [string, string]]),
      ...(lastModified === undefined ? [] : [["If-Modified-Since", lastModified] as [string, string]]),
    ];
    const response = await this.inner.send({ ...request, headers: [...request.headers, ...asked] }, options);
    this.unchanged = response.status === 304;
    return response;
  }
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
  { workflow, trigger, version, principal, call, locals, signal, brought, validators }: LookRequest,
): Promise<Looked> {
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
  const conditional = new Conditional(parts.transport, validators);
  const ports = portsOf(
    { ...parts, transport: conditional },
    {
      run: id,
      workflow,
      version,
      principal: principal ?? null,
      journal: { write: async (more) => void rows.push(...more) },
      children: () => noChildren,
      respond: () => undefined,
      often: `poll ${workflow} ${trigger}`,
    },
  );
  const one: Workflow = { name: workflow, triggers: {}, limits: { whenBusy: "queue" }, steps: [call] };
  const signals = { stop: signal, pause: signal, rouse: signal, cut: signal };
  const result = await advance(one, { id, origin: id, version }, ports, [started], signals, locals);
  const shown = rows
    .filter(({ entry }) => entry.type === "begun" || entry.type === "attempt")
    .map(({ entry, open }) => ({ type: entry.type, status: statusOf(entry), open }));
  if (conditional.unchanged) return { unchanged: true, shown };
  const entries = [started, ...rows.map(({ entry }) => entry)];
  const outcome =
    result.state === "succeeded" ? own(stepsOf(scopeOf(entries, { id })), call.name) : undefined;
  if (isObject(outcome)) return { outcome, shown };
  if (result.error) return { fault: result.error.message, shown };
  return {
    shown,
    fault:
      result.until === undefined
        ? "It gave no response."
        : `It would have to wait for ${printForPeople(Math.max(0, result.until - parts.clock.now()))}.`,
  };
}

const statusOf = (entry: Entry): number | undefined =>
  entry.type === "attempt" ? entry.response?.status : undefined;
const stepsOf = ({ steps }: JsonObject): JsonObject => (isObject(steps) ? steps : {});
