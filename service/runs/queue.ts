/** Runs of one name of which so many go side by side, such as those of one trigger, or of one guest. */
export interface Share {
  name: string;
  most: number;
  /** Of those that wait, only the latest goes on. */
  latest?: boolean;
}

/** Shares as the row of a run has them. */
export const readShares = (text: string | null): Share[] =>
  text === null ? [] : (JSON.parse(text) as Share[]);

/** A run that waits for its turn, or has it. */
export interface Turn {
  run: string;
  workflow: string;
  /** Runs of this workflow side by side; undefined: no limit of its own. */
  parallel: number | undefined;
  /** What it counts against besides. */
  shares?: readonly Share[];
  /** Somebody waits for its response: it may have one of the turns that are reserved. */
  awaited?: boolean;
}

/** The runs of one workflow that wait: those that hold a place go on whenever there is a turn, the others one by one. */
interface Line {
  placed: Turn[];
  others: Turn[];
}

/**
 * Turns for runs: a bound on all of them, one for each workflow, one for each share, and fair turns between workflows, so
 * that many runs of one do not starve a single one of another. A run holds its place while it acts or sleeps, and its
 * shares until it has ended.
 */
export class TurnQueue {
  readonly #waiting = new Map<string, Line>();
  /** Runs that hold a place: those that run, and those asleep. */
  readonly #places = new Map<string, Set<string>>();
  /** Runs that hold a share, in the order in which they came to it. */
  readonly #holders = new Map<string, Set<string>>();
  /** Turns that wait for a share, in their order. */
  readonly #held = new Map<string, Turn[]>();
  /** How many turns of each workflow wait for a share. */
  readonly #heldOf = new Map<string, number>();
  /** The shares of each run that waits or holds some. */
  readonly #sharesOf = new Map<string, readonly Share[]>();
  /** How many runs have each share, whether they hold it or wait, for it or for anything else. */
  readonly #sharing = new Map<string, number>();
  /** Of each share of which only the latest goes on: the one that has not begun. */
  readonly #latest = new Map<string, Turn>();
  /** Turns that may have a reserved one, in their order: nothing else of theirs is limited. */
  readonly #awaited = new Map<string, Turn>();
  #running = 0;
  #paused = false;
  #order: string[] = [];

  constructor(
    readonly most: number,
    readonly begin: (turn: Turn) => void,
    /** A run that has not begun and shall not: a later one came. */
    readonly leftOut: (turn: Turn, later: string) => void = () => undefined,
    /** So many of them are for runs whose starters wait. */
    readonly reserved = 0,
  ) {}

  /** Puts a run into its workflow's queue; `first` for one that comes back. */
  add(turn: Turn, { first = false }: { first?: boolean } = {}): void {
    const { run, shares = [] } = turn;
    this.#note(run, shares);
    for (const { name, latest } of shares) {
      if (!latest || this.#holders.get(name)?.has(run)) continue;
      const before = this.#latest.get(name);
      this.#latest.set(name, turn);
      if (!before || before.run === run) continue;
      this.remove(before.run, before.workflow);
      this.leftOut(before, run);
    }
    this.#put(turn, first);
    this.#next();
  }

  #put(turn: Turn, first: boolean): void {
    let line = this.#waiting.get(turn.workflow);
    if (!line) {
      this.#waiting.set(turn.workflow, (line = { placed: [], others: [] }));
      this.#order.push(turn.workflow);
    }
    const list = this.#placesOf(turn.workflow).has(turn.run) ? line.placed : line.others;
    if (first) list.unshift(turn);
    else list.push(turn);
    const isLimited = turn.parallel !== undefined || (turn.shares ?? []).length > 0;
    if (turn.awaited && !isLimited) this.#awaited.set(turn.run, turn);
  }

  /** A run keeps its shares, and its place while it sleeps, without running. */
  hold(run: string, workflow: string, shares: readonly Share[], { place }: { place: boolean }): void {
    if (place) this.#placesOf(workflow).add(run);
    this.#take(run, shares);
  }

  /** A run has come to rest; `keepsPlace` while it only sleeps, `keepsShares` while it has not ended. */
  rested(
    run: string,
    workflow: string,
    { keepsPlace, keepsShares = keepsPlace }: { keepsPlace: boolean; keepsShares?: boolean },
  ): void {
    this.#running--;
    if (!keepsPlace) this.#placesOf(workflow).delete(run);
    if (!keepsShares) this.#release(run);
    this.#next();
  }

  /** Takes a run out: it waits no more, and holds neither a place nor a share. */
  remove(run: string, workflow: string): void {
    this.#placesOf(workflow).delete(run);
    this.#awaited.delete(run);
    const line = this.#waiting.get(workflow);
    for (const list of line ? [line.placed, line.others] : []) takeOut(list, run);
    for (const { name } of this.#sharesOf.get(run) ?? []) {
      if (takeOut(this.#held.get(name) ?? [], run)) count(this.#heldOf, workflow, -1);
      if (this.#latest.get(name)?.run === run) this.#latest.delete(name);
    }
    this.#release(run);
    this.#next();
  }

  /** The run that holds what a run waits for; undefined where it waits for none. */
  behind(run: string): string | undefined {
    for (const { name } of this.#sharesOf.get(run) ?? [])
      if (this.#held.get(name)?.some((turn) => turn.run === run))
        return this.#holders.get(name)?.values().next().value;
    return undefined;
  }

  /** Whether every turn is taken while others wait for one. */
  get crowded(): boolean {
    return this.#running >= this.most - this.reserved && this.#order.length > 0;
  }

  /** How many runs of a workflow hold a place. */
  places(workflow: string): number {
    return this.#placesOf(workflow).size;
  }

  /** How many runs that have not ended have a share. */
  sharing(name: string): number {
    return this.#sharing.get(name) ?? 0;
  }

  /** Begins no more turns, until it goes on. */
  pause(paused: boolean): void {
    this.#paused = paused;
    if (!paused) this.#next();
  }

  waiting(workflow: string): number {
    const line = this.#waiting.get(workflow);
    return (line ? line.placed.length + line.others.length : 0) + (this.#heldOf.get(workflow) ?? 0);
  }

  #placesOf(workflow: string): Set<string> {
    let places = this.#places.get(workflow);
    if (!places) this.#places.set(workflow, (places = new Set()));
    return places;
  }

  #take(run: string, shares: readonly Share[]): void {
    this.#note(run, shares);
    for (const { name } of shares) {
      let holders = this.#holders.get(name);
      if (!holders) this.#holders.set(name, (holders = new Set()));
      holders.add(run);
      if (this.#latest.get(name)?.run === run) this.#latest.delete(name);
    }
  }

  /** Gives the shares of a run to those that wait for them: they come before all others of their workflow. */
  #release(run: string): void {
    for (const { name } of this.#sharesOf.get(run) ?? []) {
      const holders = this.#holders.get(name);
      if (!holders?.delete(run)) continue;
      if (holders.size === 0) this.#holders.delete(name);
      const held = this.#held.get(name);
      const next = held?.shift();
      if (held?.length === 0) this.#held.delete(name);
      if (!next) continue;
      count(this.#heldOf, next.workflow, -1);
      this.#put(next, true);
    }
    for (const { name } of this.#sharesOf.get(run) ?? []) count(this.#sharing, name, -1);
    this.#sharesOf.delete(run);
  }

  #note(run: string, shares: readonly Share[]): void {
    if (shares.length === 0 || this.#sharesOf.has(run)) return;
    this.#sharesOf.set(run, shares);
    for (const { name } of shares) count(this.#sharing, name, 1);
  }

  #next(): void {
    let passedOver = 0;
    while (!this.#paused && this.#running < this.most - this.reserved && passedOver < this.#order.length) {
      const workflow = this.#order.shift() as string;
      const line = this.#waiting.get(workflow) as Line;
      const turn = line.placed.shift() ?? this.#oneOf(line);
      if (line.placed.length + line.others.length > 0) this.#order.push(workflow);
      else this.#waiting.delete(workflow);
      if (!turn) {
        passedOver++;
        continue;
      }
      passedOver = 0;
      this.#begin(turn);
    }
    while (!this.#paused && this.#running < this.most) {
      const [turn] = this.#awaited.values();
      if (!turn) return;
      const line = this.#waiting.get(turn.workflow);
      for (const list of line ? [line.placed, line.others] : []) takeOut(list, turn.run);
      this.#begin(turn);
    }
  }

  #begin(turn: Turn): void {
    this.#awaited.delete(turn.run);
    this.#running++;
    this.#placesOf(turn.workflow).add(turn.run);
    this.#take(turn.run, turn.shares ?? []);
    this.begin(turn);
  }

  /** The first one that may begin. Who needs a share that others hold steps aside until it is free. */
  #oneOf({ others }: Line): Turn | undefined {
    for (let turn = others[0]; turn && this.#fits(turn); turn = others[0]) {
      others.shift();
      const full = this.#full(turn);
      if (full === undefined) return turn;
      const held = this.#held.get(full);
      if (held) held.push(turn);
      else this.#held.set(full, [turn]);
      count(this.#heldOf, turn.workflow, 1);
    }
    return undefined;
  }

  #full({ run, shares = [] }: Turn): string | undefined {
    return shares.find(({ name, most }) => {
      const holders = this.#holders.get(name);
      return holders !== undefined && holders.size >= most && !holders.has(run);
    })?.name;
  }

  #fits(turn: Turn): boolean {
    return turn.parallel === undefined || this.#placesOf(turn.workflow).size < turn.parallel;
  }
}

/** Counts up or down; what is at zero is not kept. */
export function count(counts: Map<string, number>, name: string, by: number): void {
  const now = (counts.get(name) ?? 0) + by;
  if (now > 0) counts.set(name, now);
  else counts.delete(name);
}

function takeOut(list: Turn[], run: string): boolean {
  const at = list.findIndex((turn) => turn.run === run);
  if (at < 0) return false;
  list.splice(at, 1);
  return true;
}
