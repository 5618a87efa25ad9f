import {
  askedMark,
  bounds,
  differenceOf,
  nextMark,
  parseJson,
  printJson,
  readOf,
  sha256Hex,
  type Json,
  type JsonObject,
  type PollTrigger,
  type ReadItem,
} from "@copper-kettle/core";
import type { Logger } from "pino";
import { newRunId } from "../runs/ids.js";
import type { LookRequest } from "../runs/look.js";
import type { ConstantStore } from "../store/constants.js";
import { seenKey, type Known, type PollState, type SeenStore } from "../store/seen.js";
import { activeName, type TriggerRecord } from "../store/triggers.js";
import type { StoreRow } from "../store/writer.js";
import type { Startable, WorkflowStore } from "../store/workflows.js";
import { triggerOf } from "./arming.js";
import type { Events } from "./events.js";

/** Runs are started so many at a time, in the order of their items. */
const together = 50;
/** So many rows go into one commit. */
const bite = 500;
/** So many runs of a workflow may wait; beyond them a poll holds back the rest for its next look. */
const mostWaiting = 10_000;
/** A poll that fails looks this seldom, in milliseconds. */
const slowest = 3_600_000;
/** So many items are shown of what a look would start. */
const mostShown = 50;
/** An item longer than this is not stored for `trigger.before`. */
const longestItem = 65_536;

export interface PollParts {
  seen: SeenStore;
  workflows: WorkflowStore;
  constants: ConstantStore;
  events: Events;
  look: (request: LookRequest) => Promise<{ outcome: JsonObject } | { fault: string }>;
  /** How many runs of a workflow wait for their turn. */
  waiting: (workflow: string) => number;
  log: Logger;
  now: () => number;
}

/** An item with its id as people know it. */
type Seen = ReadItem & { shown: string };

/** What a look would start. */
export interface Preview {
  fault: string | null;
  read: number;
  /** The first of them, with their number. */
  fresh: { id: string; new: boolean; item: Json }[];
  count: number;
}

/** A look under way, with all that belongs to it. */
interface Look {
  row: TriggerRecord;
  ready: PollTrigger;
  published: NonNullable<Startable["published"]>;
  state: PollState;
}

/** Looks at APIs again and again for what is new. A poll never overlaps itself. */
export class Polls {
  readonly #looking = new Map<string, Promise<void>>();
  readonly #stop = new AbortController();

  constructor(readonly parts: PollParts) {}

  /** Those that look now, by `activeName`. */
  get active(): string[] {
    return [...this.#looking.keys()];
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
    const look = await this.#prepared(row);
    if (!look) return { fault: "The published version has no such poll.", read: 0, fresh: [], count: 0 };
    const read = await this.#read(look);
    if ("fault" in read) return { fault: read.fault, read: 0, fresh: [], count: 0 };
    const known = await this.parts.seen.known(row.workflow, row.name);
    const changes = new Map([...known].map(([id, { changed }]) => [id, changed]));
    const isFirst = !look.state.primed && look.ready.first === "skip";
    const fresh = isFirst ? [] : differenceOf(read.items, changes).fresh;
    return {
      fault: null,
      read: read.items.length,
      fresh: fresh.slice(0, mostShown).map((one) => ({ id: one.shown, new: !one.known, item: one.item })),
      count: fresh.length,
    };
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
    await this.#take(look, read.items, read.mark);
  }

  /** What belongs to a look; undefined where the version in force has no such poll. */
  async #prepared(row: TriggerRecord): Promise<Look | undefined> {
    const { seen, workflows, now } = this.parts;
    const { workflow, name } = row;
    const published = (await workflows.startable(workflow))?.published;
    const file = published && (await workflows.ready(workflow, published.text).catch(() => undefined));
    const ready = file && triggerOf(file, name);
    if (!published || ready?.kind !== "poll") return undefined;
    const by = [ready.idOf?.text ?? "", ready.changed?.text ?? ""].join("\n");
    let state = await seen.state(workflow, name);
    if (state.by !== undefined && state.by !== by) {
      // Ids are made of something else now: what is there counts as known, as at the first look.
      await seen.clear(workflow, name);
      state = { primed: false };
    }
    return { row, ready, published, state: { ...state, by, lookedAt: now() } };
  }

  /** What a look reads; ids and what makes items count are digests from here on, since either may hold a secret. */
  async #read(look: Look): Promise<{ items: Seen[]; mark: Json } | { fault: string }> {
    const { constants, now } = this.parts;
    const outcome = await this.#call(look);
    if ("fault" in outcome) return outcome;
    const about = { constants: constants.all(), id: newRunId(), at: now() };
    const read = readOf(look.ready, outcome.outcome, about);
    if ("fault" in read) return read;
    const items = read.items.map(({ id, changed, item }) => ({
      id: seenKey(id),
      changed: changed === null ? null : sha256Hex(changed),
      item,
      shown: look.ready.idOf ? id : "",
    }));
    return { items, mark: read.mark };
  }

  /** The call of a poll, as a run of a single reading step. */
  #call({ row, ready, published, state }: Look): Promise<{ outcome: JsonObject } | { fault: string }> {
    const mark: Json = ready.mark ? askedMark(ready.mark.kind, state.mark, ready.mark.overlap) : null;
    return this.parts.look({
      workflow: row.workflow,
      trigger: row.name,
      ...published,
      call: ready.call,
      locals: ready.mark ? { mark } : {},
      signal: this.#stop.signal,
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

  /** Starts what is new, and notes what was seen; then how far it came. */
  async #take(look: Look, items: readonly ReadItem[], found: Json): Promise<void> {
    const { seen, now } = this.parts;
    const { row, ready } = look;
    const { workflow, name } = row;
    const { failures: _failures, fault: _fault, heldBack: _heldBack, ...state } = look.state;
    const known = await seen.known(workflow, name);
    const changes = new Map([...known].map(([id, { changed }]) => [id, changed]));
    const { fresh, absent } = differenceOf(items, changes);
    let left = 0;
    if (!state.primed && ready.first === "skip") await this.#noteAll(look, fresh);
    else if (ready.each === "batch") left = await this.#startBatches(look, fresh, known);
    else left = await this.#startEach(look, fresh, known);
    const gone = absent.filter((id) => known.get(id)?.absent !== 1);
    const read = new Set(items.map(({ id }) => id));
    const back = [...known].filter(([id, { absent: was }]) => was === 1 && read.has(id)).map(([id]) => id);
    await seen.noteAbsent(workflow, name, { gone, back }, now());
    const mark = ready.mark && left === 0 ? nextMark(ready.mark.kind, state.mark, found) : state.mark;
    await seen.setState(
      workflow,
      name,
      {
        ...state,
        primed: true,
        read: items.length,
        ...(mark === undefined ? {} : { mark }),
        ...(left > 0 ? { heldBack: left } : {}),
      },
      (state.lookedAt ?? now()) + ready.every,
    );
  }

  #seenRow({ row, ready }: Look, { id, changed, item }: ReadItem): StoreRow {
    const text = ready.changed ? printJson(item) : null;
    const stored = text !== null && text.length <= longestItem ? text : null;
    return this.parts.seen.row(row.workflow, row.name, { id, changed, item: stored });
  }

  async #noteAll(look: Look, fresh: readonly ReadItem[]): Promise<void> {
    for (let at = 0; at < fresh.length; at += bite) {
      const statements = fresh.slice(at, at + bite).map((one) => this.#seenRow(look, one));
      await this.parts.seen.writer.commit({ records: [], statements });
    }
  }

  /** One run an item, each in one commit with what was seen of it. Returns how many are held back. */
  async #startEach(
    look: Look,
    fresh: readonly (ReadItem & { known: boolean })[],
    known: ReadonlyMap<string, Known>,
  ): Promise<number> {
    const { workflow, name } = look.row;
    for (let at = 0; at < fresh.length; at += together) {
      if (this.#isFull(workflow)) return fresh.length - at;
      await Promise.all(
        fresh.slice(at, at + together).map((one) =>
          this.parts.events.begin({
            workflow,
            trigger: name,
            brought: { item: one.item, new: !one.known, ...this.#before(one.id, known) },
            at: this.parts.now(),
            also: [this.#seenRow(look, one)],
          }),
        ),
      );
    }
    return 0;
  }

  async #startBatches(
    look: Look,
    fresh: readonly (ReadItem & { known: boolean })[],
    known: ReadonlyMap<string, Known>,
  ): Promise<number> {
    const { workflow, name } = look.row;
    const { most } = look.ready;
    for (let at = 0; at < fresh.length; at += most) {
      if (this.#isFull(workflow)) return fresh.length - at;
      const some = fresh.slice(at, at + most);
      const items = some.map((one) => ({ item: one.item, new: !one.known, ...this.#before(one.id, known) }));
      await this.parts.events.begin({
        workflow,
        trigger: name,
        brought: { items },
        at: this.parts.now(),
        also: some.map((one) => this.#seenRow(look, one)),
      });
    }
    return 0;
  }

  #before(id: string, known: ReadonlyMap<string, Known>): { before?: Json } {
    const found = known.get(id);
    const text = found && this.parts.seen.before(id, found);
    return text === undefined ? {} : { before: parseJson(text) };
  }

  #isFull(workflow: string): boolean {
    return this.#stop.signal.aborted || this.parts.waiting(workflow) + together > mostWaiting;
  }
}

/** Resolves after some milliseconds, or when the service stops. */
const pauseOf = (millis: number, signal: AbortSignal): Promise<void> =>
  new Promise((resolve) => {
    const timer = setTimeout(resolve, millis);
    signal.addEventListener("abort", () => (clearTimeout(timer), resolve()), { once: true });
    if (signal.aborted) resolve();
  });
