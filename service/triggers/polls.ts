import {
  askedMark,
  bounds,
  isObject,
  nextMark,
  readInSteps,
  renderIn,
  type Brought,
  type Json,
  type JsonObject,
  type ReadItem,
} from "@copper-kettle/core";
import type { Logger } from "pino";
import { inTurns } from "../in-turns.js";
import { newRunId } from "../runs/ids.js";
import type { Looked, LookRequest } from "../runs/look.js";
import type { ConstantStore } from "../store/constants.js";
import type { LookStore } from "../store/looks.js";
import { digestOf, seenKey, type Validators } from "../store/seen.js";
import { activeName, type TriggerRecord } from "../store/triggers.js";
import type { WorkflowStore } from "../store/workflows.js";
import { madeOf, triggerOf } from "./arming.js";
import { Taking, type Look, type TakingParts } from "./taking.js";

/** A poll that fails looks this seldom, in milliseconds. */
const slowest = 3_600_000;
/** So many items are shown of what a look would start. */
const mostShown = 50;
export interface PollParts extends TakingParts {
  looks: LookStore;
  workflows: WorkflowStore;
  constants: ConstantStore;
  look: (request: LookRequest) => Promise<Looked>;
  log: Logger;
}

/** An item with its id as people know it. */
type Seen = ReadItem & { shown?: string };

/** What a look would start. */
export interface Preview {
  fault: string | null;
  read: number;
  /** The first of them, with their number. */
  fresh: { id: string; new: boolean; gone: boolean; item: Json }[];
  count: number;
  /** How many of them are gone, where that starts runs. */
  gone: number;
}

/** What a look read. */
type Read = { items: Seen[]; mark: Json; validators?: Validators } | { fault: string } | { unchanged: true };

/** Items with digests in the place of ids and of what makes them count: either may hold a secret. */
function* digested(items: readonly ReadItem[], isShown: boolean): Generator<undefined, Seen[], undefined> {
  const seen: Seen[] = [];
  for (const { id, changed, item } of items) {
    seen.push({
      id: seenKey(id),
      changed: changed === null ? null : digestOf(changed),
      item,
      shown: isShown ? id : "",
    });
    yield;
  }
  return seen;
}

/** Looks at APIs again and again for what is new. A poll never overlaps itself. */
export class Polls {
  readonly #looking = new Map<string, Promise<void>>();
  readonly #stop = new AbortController();
  readonly #taking: Taking;

  constructor(readonly parts: PollParts) {
    this.#taking = new Taking(parts, this.#stop.signal);
  }

  /** Those that look now, by `activeName`. */
  get active(): string[] {
    return [...this.#looking.keys()];
  }

  /** The time between two looks, in milliseconds; 0 where the version in force has no such poll. */
  async every(row: TriggerRecord): Promise<number> {
    return (await this.#prepared(row))?.ready.every ?? 0;
  }

  /** Begins a look; `done` is called when the next one is noted. */
  begin(row: TriggerRecord, done: () => void): void {
    const name = activeName(row);
    if (this.#looking.has(name) || this.#stop.signal.aborted) return;
    const look = this.#look(row)
      .catch((error: unknown) => {
        const about = { err: error, workflow: row.workflow, trigger: row.name };
        this.parts.log.error(about, "a look was not done");
        // Its next time could not be noted: it must not ask again at once.
        return pauseOf(bounds.runFaultPause, this.#stop.signal);
      })
      .finally(() => {
        this.#looking.delete(name);
        done();
      });
    this.#looking.set(name, look);
  }

  /** Looks, and tells what the next look would start, without starting or noting anything. */
  async preview(row: TriggerRecord): Promise<Preview> {
    const none = { read: 0, fresh: [], count: 0, gone: 0 };
    const look = await this.#prepared(row);
    if (!look) return { fault: "The published version has no such poll.", ...none };
    const { validators: _validators, ...state } = look.state;
    const read = await this.#read({ ...look, state });
    if ("fault" in read) return { fault: read.fault, ...none };
    if ("unchanged" in read) return { fault: null, ...none, read: look.state.read ?? 0 };
    const known = await this.parts.seen.known(row.workflow, row.name);
    const { fresh, gone } = await this.#taking.startsOf(look, read.items, known);
    const all = [
      ...fresh.map((one) => ({ id: one.shown ?? "", new: !one.known, gone: false, item: one.item })),
      ...gone.map(({ item }) => ({ id: "", new: false, gone: true, item })),
    ];
    return {
      fault: null,
      read: read.items.length,
      fresh: all.slice(0, mostShown),
      count: all.length,
      gone: gone.length,
    };
  }

  /** Forgets all that a poll knows: its next look is its first. Returns how many items it knew. */
  async forget(row: TriggerRecord): Promise<number> {
    const name = activeName(row);
    while (this.#looking.has(name)) await this.#looking.get(name);
    const work = this.parts.seen.forget(row.workflow, row.name, this.parts.now());
    // No look may begin in between.
    this.#looking.set(
      name,
      work.then(
        () => undefined,
        () => undefined,
      ),
    );
    return work.finally(() => this.#looking.delete(name));
  }

  async close(): Promise<void> {
    this.#stop.abort();
    await Promise.all(this.#looking.values());
  }

  async #look(row: TriggerRecord): Promise<void> {
    const { seen, now } = this.parts;
    const look = await this.#prepared(row);
    if (!look) return seen.setState(row.workflow, row.name, { primed: false }, now() + slowest);
    const read = await this.#read(look);
    if ("fault" in read) return this.#failed(look, read.fault);
    if ("unchanged" in read) return this.#taking.unchanged(look);
    await this.#taking.take(look, read);
  }

  /** What belongs to a look; undefined where the version in force has no such poll. */
  async #prepared(row: TriggerRecord): Promise<Look | undefined> {
    const { seen, workflows, now } = this.parts;
    const { workflow, name } = row;
    const published = (await workflows.startable(workflow))?.published;
    const file = published && (await workflows.ready(workflow, published.text).catch(() => undefined));
    const ready = file && triggerOf(file, name);
    if (!published || ready?.kind !== "poll") return undefined;
    const by = madeOf(ready);
    let state = await seen.state(workflow, name);
    if (state.by !== undefined && state.by !== by) {
      // Ids are made of something else now: what is there counts as known, as at the first look.
      await seen.clear(workflow, name);
      state = { primed: false, anew: true };
    }
    return { row, ready, published, state: { ...state, by, lookedAt: now() } };
  }

  /** What a look reads; ids and what makes items count are digests from here on, since either may hold a secret. */
  async #read(look: Look): Promise<Read> {
    const { constants, now } = this.parts;
    const about = { constants: constants.all(), id: newRunId(), at: now() };
    const mark = markAsked(look, about);
    if (isObject(mark)) return { fault: String(mark["fault"]) };
    const looked = await this.#call(look, mark);
    const { workflow, name } = look.row;
    await this.parts.looks.note(workflow, name, about.at, looked.shown);
    if (!("outcome" in looked)) return looked;
    const read = await inTurns(readInSteps(look.ready, looked.outcome, about));
    if ("fault" in read) return read;
    const items = await inTurns(digested(read.items, look.ready.idOf !== undefined));
    const { headers } = looked.outcome;
    const validators =
      look.ready.call.pages === undefined && isObject(headers)
        ? { version: look.published.version, ...validatorsIn(headers) }
        : undefined;
    return { items, mark: read.mark, ...(validators ? { validators } : {}) };
  }

  /** The call of a poll, as a run of a single reading step. */
  #call({ row, ready, published, state }: Look, mark: Json): Promise<Looked> {
    const { validators } = state;
    return this.parts.look({
      workflow: row.workflow,
      trigger: row.name,
      ...published,
      call: ready.call,
      locals: ready.mark ? { mark } : {},
      signal: this.#stop.signal,
      // Another version may read something else in the same response.
      validators: validators?.version === published.version ? validators : undefined,
    });
  }

  /** Keeps its place, and looks less often. */
  async #failed({ row, ready, published, state }: Look, fault: string): Promise<void> {
    const { seen, events, now } = this.parts;
    const failures = (state.failures ?? 0) + 1;
    const { workflow, name } = row;
    if (failures === 1)
      await events.note(
        ready,
        { workflow, trigger: name, version: published.version, at: now(), brought: {} },
        "refused",
        `The look failed: ${fault}`,
      );
    const pause = Math.min(ready.every * 2 ** Math.min(failures, 20), Math.max(slowest, ready.every));
    await seen.setState(workflow, name, { ...state, failures, fault }, now() + pause);
  }
}

/** What the call of a look gets as `mark`: null before the first one, unless the file says where it begins. */
function markAsked({ ready, state }: Look, about: Omit<Brought, "trigger">): Json | { fault: string } {
  const { mark, first } = ready;
  if (!mark) return null;
  if (state.mark !== undefined || typeof first !== "object")
    return askedMark(mark.kind, state.mark, mark.overlap);
  const since = nextMark(mark.kind, undefined, renderIn(first.since, { ...about, trigger: {} }));
  if (since === undefined) return { fault: `"first.since" must be a ${mark.kind}.` };
  return askedMark(mark.kind, since, 0);
}

/** By what a response says that it is known. */
function validatorsIn(headers: JsonObject): Omit<Validators, "version"> {
  const { etag, "last-modified": lastModified } = headers;
  return {
    ...(typeof etag === "string" ? { etag } : {}),
    ...(typeof lastModified === "string" ? { lastModified } : {}),
  };
}

/** Resolves after some milliseconds, or when the service stops. */
const pauseOf = (millis: number, signal: AbortSignal): Promise<void> =>
  new Promise((resolve) => {
    const timer = setTimeout(resolve, millis);
    signal.addEventListener("abort", () => (clearTimeout(timer), resolve()), { once: true });
    if (signal.aborted) resolve();
  });
