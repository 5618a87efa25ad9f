/** A run that waits for its turn, or has it. */
export interface Turn {
  run: string;
  workflow: string;
  /** Runs of this workflow side by side; undefined: no limit of its own. */
  parallel: number | undefined;
}

/** The runs of one workflow that wait: those that hold a place go on whenever there is a turn, the others one by one. */
interface Line {
  placed: Turn[];
  others: Turn[];
}

/**
 * Turns for runs: a bound on all of them, one for each workflow, and fair turns between workflows, so that many runs
 * of one do not starve a single one of another.
 */
export class TurnQueue {
  readonly #waiting = new Map<string, Line>();
  /** Runs that hold a place: those that run, and those asleep. */
  readonly #places = new Map<string, Set<string>>();
  #running = 0;
  #paused = false;
  #order: string[] = [];

  constructor(
    readonly most: number,
    readonly begin: (turn: Turn) => void,
  ) {}

  /** Puts a run into its workflow's queue; `first` for one that comes back. */
  add(turn: Turn, { first = false }: { first?: boolean } = {}): void {
    let line = this.#waiting.get(turn.workflow);
    if (!line) {
      this.#waiting.set(turn.workflow, (line = { placed: [], others: [] }));
      this.#order.push(turn.workflow);
    }
    const list = this.#placesOf(turn.workflow).has(turn.run) ? line.placed : line.others;
    if (first) list.unshift(turn);
    else list.push(turn);
    this.#next();
  }

  /** A run keeps its place while it sleeps, without running. */
  holdPlace(run: string, workflow: string): void {
    this.#placesOf(workflow).add(run);
  }

  /** A run has come to rest; `keepsPlace` while it only sleeps. */
  rested(run: string, workflow: string, { keepsPlace }: { keepsPlace: boolean }): void {
    this.#running--;
    if (!keepsPlace) this.#placesOf(workflow).delete(run);
    this.#next();
  }

  /** Takes a run out: it waits no more, and holds no place. */
  remove(run: string, workflow: string): void {
    this.#placesOf(workflow).delete(run);
    const line = this.#waiting.get(workflow);
    for (const list of line ? [line.placed, line.others] : []) {
      const at = list.findIndex((turn) => turn.run === run);
      if (at >= 0) list.splice(at, 1);
    }
    this.#next();
  }

  /** Whether every turn is taken while others wait for one. */
  get crowded(): boolean {
    return this.#running >= this.most && this.#order.length > 0;
  }

  /** How many runs of a workflow hold a place. */
  places(workflow: string): number {
    return this.#placesOf(workflow).size;
  }

  /** Begins no more turns, until it goes on. */
  pause(paused: boolean): void {
    this.#paused = paused;
    if (!paused) this.#next();
  }

  waiting(workflow: string): number {
    const line = this.#waiting.get(workflow);
    return line ? line.placed.length + line.others.length : 0;
  }

  #placesOf(workflow: string): Set<string> {
    let places = this.#places.get(workflow);
    if (!places) this.#places.set(workflow, (places = new Set()));
    return places;
  }

  #next(): void {
    let passedOver = 0;
    while (!this.#paused && this.#running < this.most && passedOver < this.#order.length) {
      const workflow = this.#order.shift() as string;
      const line = this.#waiting.get(workflow) as Line;
      const turn = line.placed.shift() ?? (this.#fits(line.others[0]) ? line.others.shift() : undefined);
      if (line.placed.length + line.others.length > 0) this.#order.push(workflow);
      else this.#waiting.delete(workflow);
      if (!turn) {
        passedOver++;
        continue;
      }
      passedOver = 0;
      this.#running++;
      this.#placesOf(workflow).add(turn.run);
      this.begin(turn);
    }
  }

  #fits(turn: Turn | undefined): boolean {
    if (turn === undefined || turn.parallel === undefined) return turn !== undefined;
    return this.#placesOf(turn.workflow).size < turn.parallel;
  }
}
