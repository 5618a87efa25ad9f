/** A run that waits for its turn, or has it. */
export interface Turn {
  run: string;
  workflow: string;
  /** Runs of this workflow side by side; undefined: no limit of its own. */
  atOnce: number | undefined;
}

/**
 * Turns for runs: a bound on all of them, one for each workflow, and fair turns between workflows, so that many runs
 * of one do not starve a single one of another.
 */
export class TurnQueue {
  readonly #waiting = new Map<string, Turn[]>();
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
    let queue = this.#waiting.get(turn.workflow);
    if (!queue) {
      this.#waiting.set(turn.workflow, (queue = []));
      this.#order.push(turn.workflow);
    }
    if (first) queue.unshift(turn);
    else queue.push(turn);
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
    const queue = this.#waiting.get(workflow);
    const at = queue?.findIndex((turn) => turn.run === run) ?? -1;
    if (at >= 0) queue?.splice(at, 1);
    this.#next();
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
    return this.#waiting.get(workflow)?.length ?? 0;
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
      const queue = this.#waiting.get(workflow) as Turn[];
      const index = queue.findIndex((turn) => this.#fits(turn));
      if (index < 0) {
        if (queue.length > 0) this.#order.push(workflow);
        else this.#waiting.delete(workflow);
        passedOver++;
        continue;
      }
      const [turn] = queue.splice(index, 1) as [Turn];
      if (queue.length > 0) this.#order.push(workflow);
      else this.#waiting.delete(workflow);
      passedOver = 0;
      this.#running++;
      this.#placesOf(workflow).add(turn.run);
      this.begin(turn);
    }
  }

  #fits(turn: Turn): boolean {
    const places = this.#placesOf(turn.workflow);
    return turn.atOnce === undefined || places.has(turn.run) || places.size < turn.atOnce;
  }
}
