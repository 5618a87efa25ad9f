import {
  differenceInSteps,
  isPlausiblyGone,
  nextMark,
  parseJson,
  printJson,
  type Json,
  type PollTrigger,
  type ReadItem,
} from "@copper-kettle/core";
import { inTurns } from "../in-turns.js";
import type { Known, PollState, SeenStore, Validators } from "../store/seen.js";
import type { TriggerRecord } from "../store/triggers.js";
import type { StoreRow } from "../store/writer.js";
import type { Startable } from "../store/workflows.js";
import type { Events } from "./events.js";

/** Runs are started so many at a time, in the order of their items. */
const together = 50;
/** So many rows go into one commit. */
const bite = 500;
/** So many runs of a workflow may wait; beyond them a poll holds back the rest for its next look. */
const mostWaiting = 10_000;
/** An item longer than this is not stored for `trigger.before`. */
const longestItem = 65_536;

export interface TakingParts {
  seen: SeenStore;
  events: Events;
  /** How many runs of a workflow wait for their turn. */
  waiting: (workflow: string) => number;
  now: () => number;
}

/** A look under way, with all that belongs to it. */
export interface Look {
  row: TriggerRecord;
  ready: PollTrigger;
  published: NonNullable<Startable["published"]>;
  state: PollState;
}

/** What a look starts a run for: what was read, or what is not there any more. */
type Starting = ReadItem & { known: boolean; gone?: true };
type KnownItems = ReadonlyMap<string, Known>;

/** Takes in what looks of polls have read: starts what is new, and notes what was seen. */
export class Taking {
  constructor(
    readonly parts: TakingParts,
    readonly stopped: AbortSignal,
  ) {}

  /** What a look would start: items that are new or changed, and those that are gone. */
  async startsOf<T extends ReadItem>(
    { state, ready }: Look,
    items: readonly T[],
    known: KnownItems,
  ): Promise<{ fresh: (T & { known: boolean })[]; gone: Starting[]; absent: string[] }> {
    const { fresh, absent } = await inTurns(differenceInSteps(items, known));
    if (isFirst({ state, ready })) return { fresh: [], gone: [], absent };
    const gone = ready.gone ? absent.map((id) => this.#goneItem(id, known)) : [];
    return { fresh, gone, absent };
  }

  /** Starts what is new, and notes what was seen; then how far it came. */
  async take(
    look: Look,
    { items, mark: found, validators }: { items: readonly ReadItem[]; mark: Json; validators?: Validators },
  ): Promise<void> {
    const { seen, now } = this.parts;
    const { row, ready } = look;
    const { workflow, name } = row;
    const state = settledState(look.state);
    const known = await seen.known(workflow, name);
    const { fresh, gone, absent } = await this.startsOf(look, items, known);
    const mayGo = look.state.goneAgreed === true || isPlausiblyGone(gone.length, known.size, items.length);
    const starting = [...fresh, ...(mayGo ? gone : [])];
    let left = 0;
    if (isFirst(look)) await this.#noteAll(look, (await inTurns(differenceInSteps(items, new Map()))).fresh);
    else if (ready.each === "batch") left = await this.#startBatches(look, starting, known);
    else left = await this.#startEach(look, starting, known);
    if (!ready.gone) await this.#noteAbsent(look, items, absent, known);
    const mark = ready.mark && left === 0 ? nextMark(ready.mark.kind, state.mark, found) : state.mark;
    await seen.setState(
      workflow,
      name,
      {
        ...state,
        primed: true,
        ...retainOf(ready),
        read: items.length,
        ...(mark === undefined ? {} : { mark }),
        ...(left > 0 ? { heldBack: left } : {}),
        ...(mayGo ? {} : { gone: gone.length }),
        // What was held back is in this response: it has to come again.
        ...(validators && left === 0 && mayGo ? { validators } : {}),
      },
      (state.lookedAt ?? now()) + ready.every,
      look.state.goneAgreed,
    );
  }

  /** The response is the one of the last look, of which everything was taken. */
  async unchanged({ row, ready, state }: Look): Promise<void> {
    const { seen, now } = this.parts;
    const { validators } = state;
    const next = { ...settledState(state), ...retainOf(ready), ...(validators ? { validators } : {}) };
    await seen.setState(row.workflow, row.name, next, (state.lookedAt ?? now()) + ready.every);
  }

  #goneItem(id: string, known: KnownItems): Starting {
    const { before = null } = this.#before(id, known);
    return { id, changed: null, item: before, known: true, gone: true };
  }

  async #noteAbsent(
    { row }: Look,
    items: readonly ReadItem[],
    absent: readonly string[],
    known: KnownItems,
  ): Promise<void> {
    const gone = absent.filter((id) => known.get(id)?.absent !== 1);
    const away = new Set<string>();
    for (const [id, { absent: was }] of known) if (was === 1) away.add(id);
    const back = away.size === 0 ? [] : items.flatMap(({ id }) => (away.delete(id) ? [id] : []));
    await this.parts.seen.noteAbsent(row.workflow, row.name, { gone, back }, this.parts.now());
  }

  #seenRow({ row, ready }: Look, { id, changed, item, gone }: ReadItem & { gone?: true }): StoreRow {
    if (gone) return this.parts.seen.goneRow(row.workflow, row.name, id);
    const text = ready.changed || ready.gone ? printJson(item) : null;
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
  async #startEach(look: Look, starting: readonly Starting[], known: KnownItems): Promise<number> {
    const { workflow, name } = look.row;
    for (let at = 0; at < starting.length; at += together) {
      if (this.#isFull(workflow)) return starting.length - at;
      await Promise.all(
        starting.slice(at, at + together).map((one) =>
          this.parts.events.begin({
            workflow,
            trigger: name,
            brought: this.#broughtOf(look, one, known),
            at: this.parts.now(),
            also: [this.#seenRow(look, one)],
          }),
        ),
      );
    }
    return 0;
  }

  async #startBatches(look: Look, starting: readonly Starting[], known: KnownItems): Promise<number> {
    const { workflow, name } = look.row;
    const { most } = look.ready;
    for (let at = 0; at < starting.length; at += most) {
      if (this.#isFull(workflow)) return starting.length - at;
      const some = starting.slice(at, at + most);
      await this.parts.events.begin({
        workflow,
        trigger: name,
        brought: { items: some.map((one) => this.#broughtOf(look, one, known)) },
        at: this.parts.now(),
        also: some.map((one) => this.#seenRow(look, one)),
      });
    }
    return 0;
  }

  #broughtOf({ ready }: Look, { id, item, known, gone }: Starting, all: KnownItems): Record<string, Json> {
    if (gone) return { item, new: false, gone: true };
    const before = ready.changed ? this.#before(id, all) : {};
    return { item, new: !known, ...before, ...(ready.gone ? { gone: false } : {}) };
  }

  #before(id: string, known: KnownItems): { before?: Json } {
    const found = known.get(id);
    const text = found && this.parts.seen.before(id, found);
    return text === undefined ? {} : { before: parseJson(text) };
  }

  #isFull(workflow: string): boolean {
    return this.stopped.aborted || this.parts.waiting(workflow) + together > mostWaiting;
  }
}

/** Whether a look only notes what is there. */
const isFirst = ({ state, ready }: Pick<Look, "state" | "ready">): boolean =>
  !state.primed && (ready.first === "skip" || state.anew === true);

const retainOf = ({ retainKeys }: PollTrigger): Pick<PollState, "retain"> =>
  retainKeys === undefined ? {} : { retain: retainKeys };

/** What stays of the state of a poll after a look that succeeded. */
function settledState(state: PollState): PollState {
  const {
    failures: _failures,
    fault: _fault,
    heldBack: _heldBack,
    gone: _gone,
    goneAgreed: _agreed,
    anew: _anew,
    retain: _retain,
    validators: _validators,
    ...stays
  } = state;
  return stays;
}
