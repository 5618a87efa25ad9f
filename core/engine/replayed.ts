import type { Entry, EntryOf } from "./entries.js";

/** What the journal holds of one step. */
export class StepLog {
  begun: EntryOf<"begun"> | undefined;
  /** The number of the last attempt that was about to be sent. */
  sending = 0;
  attempts: EntryOf<"attempt">[] = [];
  unsure: EntryOf<"unsure"> | undefined;
  /** The decision about the last unsure attempt. */
  decided: EntryOf<"decided"> | undefined;
  ended: EntryOf<"ended"> | undefined;
  /** Whether it was sent again after a send whose fate is not known. */
  resent = false;
  /** Of a loop: its items; they are let go once it has ended. */
  readonly items = new Map<number, ItemLog>();
  /** Of a loop whose items were let go: their problems. */
  problems = 0;

  /** Whether an attempt was about to be sent and nothing is known of it. */
  get lost(): boolean {
    return this.sending > (this.attempts.at(-1)?.attempt ?? 0);
  }
}

/** What the journal holds of one list of steps: a run's own, or a loop item's. */
export class ScopeLog {
  readonly #steps = new Map<string, StepLog>();

  step(name: string): StepLog {
    let log = this.#steps.get(name);
    if (!log) this.#steps.set(name, (log = new StepLog()));
    return log;
  }
}

export class ItemLog extends ScopeLog {
  ended: EntryOf<"item"> | undefined;
}

/** What the journal holds of a run, found by path. Inner entries of a loop's ended items are left out. */
export class RunLog {
  readonly root = new ScopeLog();
  started: EntryOf<"started"> | undefined;
  finished: EntryOf<"finished"> | undefined;
  stopping: EntryOf<"stopping"> | undefined;
  readonly secrets: EntryOf<"secrets">[] = [];
  /** Breakpoints that were passed, by the path of their step. */
  readonly continued = new Map<string, EntryOf<"decided">>();
  /** The last of them. */
  lastContinued: EntryOf<"decided"> | undefined;
  /** When the run first did something, in milliseconds since 1970. */
  beganAt: number | undefined;

  constructor(entries: Iterable<Entry> = []) {
    for (const entry of entries) this.take(entry);
  }

  /** Takes in one entry, in the order of the journal. */
  take(entry: Entry): void {
    if (entry.type !== "started" && entry.type !== "secrets") this.beganAt ??= entry.at;
    switch (entry.type) {
      case "started":
        this.started = entry;
        return;
      case "secrets":
        this.secrets.push(entry);
        return;
      case "finished":
        this.finished = entry;
        return;
      case "stopping":
        this.stopping = entry;
        return;
      case "rested":
      case "limited":
      case "locked":
        return;
      case "decided":
        if (entry.decision === "continue") {
          this.continued.set(entry.path, entry);
          this.lastContinued = entry;
        } else if (entry.decision !== "resume") takeStep(this.#locate(entry.path), entry);
        return;
      case "item": {
        const { scope, name, index } = this.#locate(entry.path);
        const step = scope.step(name);
        const item = new ItemLog();
        item.ended = entry;
        step.items.set(index as number, item);
        return;
      }
      default:
        takeStep(this.#locate(entry.path), entry);
    }
  }

  #locate(path: string): { scope: ScopeLog; name: string; index: number | undefined } {
    const parts = path.split("/");
    let scope: ScopeLog = this.root;
    for (let at = 0; at < parts.length - 1; at++) {
      const { name, index } = parsePart(parts[at] as string);
      scope = itemLog(scope.step(name), index ?? innerIndex);
    }
    return { scope, ...parsePart(parts[parts.length - 1] as string) };
  }
}

/** Steps inside one that is not a loop are stored as its one item: of `name!catch`, `both.left`, or `name` itself. */
export const innerIndex = -1;

/** The log of a loop's item; made if there is none. */
export function itemLog(step: StepLog, index: number): ItemLog {
  let item = step.items.get(index);
  if (!item) step.items.set(index, (item = new ItemLog()));
  return item;
}

function parsePart(part: string): { name: string; index: number | undefined } {
  const at = part.endsWith("]") ? part.indexOf("[") : -1;
  return at < 1
    ? { name: part, index: undefined }
    : { name: part.slice(0, at), index: Number(part.slice(at + 1, -1)) };
}

function takeStep({ scope, name }: { scope: ScopeLog; name: string }, entry: Entry): void {
  const log = scope.step(name);
  switch (entry.type) {
    case "begun":
      log.begun = entry;
      return;
    case "sending":
      log.resent ||= log.lost;
      log.sending = entry.attempt;
      log.unsure = undefined;
      log.decided = undefined;
      return;
    case "attempt":
      log.attempts.push(entry);
      log.sending = Math.max(log.sending, entry.attempt);
      return;
    case "unsure":
      log.unsure = entry;
      log.sending = Math.max(log.sending, entry.attempt);
      log.decided = undefined;
      return;
    case "decided":
      log.decided = entry;
      return;
    case "ended":
      log.ended = entry;
      return;
  }
}
