import {
  bounds,
  Pace,
  pacePolicy,
  type PacedCall,
  type Pacer as PacerPort,
  type PaceTurn,
} from "@copper-kettle/core";
import type { ApiStore } from "../store/apis.js";

/** Somebody waits no longer than this in memory, in milliseconds; a run then sleeps in the store. */
const longestInMemory = 30_000;

/** A clock that goes back by more than this, in milliseconds, was set. */
const setBack = 1_000;

interface Waiter {
  workflow: string;
  resolve(turn: PaceTurn | { until: number }): void;
}

/** Whatever calls one API with one credential: its pace, and who waits, by workflow. */
interface Lane {
  pace: Pace;
  api: string | undefined;
  /** How many changes of APIs the policy has seen. */
  seen: number;
  waiting: Map<string, Waiter[]>;
  /** The workflows that wait, the one whose turn comes next first. */
  order: string[];
  timer: NodeJS.Timeout | undefined;
}

/** What people see of a pace. */
export interface PaceView {
  api: string | null;
  target: string;
  credential: string | null;
  calls: number | null;
  per: number | null;
  atOnce: number | null;
  under: number;
  waiting: number;
  pausedUntil: number | null;
}

/** The pace of all calls: shared by all runs, with fair turns between workflows. */
export class Pacer implements PacerPort {
  readonly #lanes = new Map<string, Lane>();
  /** Names of APIs by the origin of their servers, as of a number of changes. */
  #origins = new Map<string, string>();
  #originsSeen = -1;
  readonly #heads = new Map<string, string>();
  #seen = 0;

  constructor(
    readonly apis: Pick<ApiStore, "all" | "document" | "changes">,
    readonly clock: () => number,
  ) {}

  /** The time. Where the clock was set back, what was planned moves with it: else nobody could call until then. */
  now(): number {
    const now = this.clock();
    if (now < this.#seen - setBack)
      for (const { pace } of this.#lanes.values()) pace.moveBy(now - this.#seen);
    this.#seen = now;
    return now;
  }

  take(call: PacedCall): PaceTurn | undefined {
    const lane = this.#lane(call);
    if (lane.order.length > 0 || lane.pace.full || lane.pace.next(this.now()) > this.now()) return undefined;
    return this.#go(lane);
  }

  expected(call: PacedCall): number {
    const lane = this.#lane(call);
    const before = [...lane.waiting.values()].reduce((sum, queue) => sum + queue.length, 0);
    return lane.pace.next(this.now(), before);
  }

  wait(call: PacedCall, signal: AbortSignal): Promise<PaceTurn | { until: number }> {
    const lane = this.#lane(call);
    return new Promise((resolve, reject) => {
      const leave = (): void => {
        this.#remove(lane, waiter);
        reject(signal.reason as Error);
      };
      const waiter: Waiter = {
        workflow: call.workflow,
        resolve: (turn) => {
          signal.removeEventListener("abort", leave);
          resolve(turn);
        },
      };
      if (signal.aborted) return reject(signal.reason as Error);
      signal.addEventListener("abort", leave, { once: true });
      const queue = lane.waiting.get(call.workflow);
      if (queue) queue.push(waiter);
      else {
        lane.waiting.set(call.workflow, [waiter]);
        lane.order.push(call.workflow);
      }
      this.#pump(lane);
    });
  }

  /** All paces that hold something back or were told something. */
  view(): PaceView[] {
    return [...this.#lanes].map(([key, { pace, api, waiting }]) => {
      const [target = "", credential = ""] = key.split(" ");
      const rate = pace.rate;
      return {
        api: api ?? null,
        target,
        credential: credential || null,
        calls: rate?.calls ?? null,
        per: rate?.per ?? null,
        atOnce: pace.policy?.atOnce ?? null,
        under: pace.under,
        waiting: [...waiting.values()].reduce((sum, queue) => sum + queue.length, 0),
        pausedUntil: pace.pausedUntil > this.now() ? pace.pausedUntil : null,
      };
    });
  }

  #lane(call: PacedCall): Lane {
    const origin = this.#originOf(call.url);
    const api = call.api ?? this.#apiOf(origin);
    const key = `${api ?? origin} ${call.credential ?? ""}`;
    let lane = this.#lanes.get(key);
    if (!lane) {
      lane = { pace: new Pace(), api, seen: -1, waiting: new Map(), order: [], timer: undefined };
      if (this.#lanes.size >= bounds.lanes) this.#forgetIdle();
      this.#lanes.set(key, lane);
    }
    if (api !== undefined && lane.seen !== this.apis.changes) {
      lane.pace.policy = pacePolicy(this.apis.document(api)?.["x-ckettle-pace"]);
      lane.seen = this.apis.changes;
    }
    return lane;
  }

  /** Lanes on which nothing goes and nobody waits, the eldest half of them: a far host may be met once in a life. */
  #forgetIdle(): void {
    let left = bounds.lanes / 2;
    for (const [key, { pace, order }] of this.#lanes) {
      if (left-- <= 0) return;
      if (order.length === 0 && pace.under === 0 && pace.pausedUntil <= this.now()) this.#lanes.delete(key);
    }
  }

  /** The origin of a URL, read once for each that is met. */
  #originOf(url: string): string {
    const head = /^[^:]+:\/\/[^/?#]*/.exec(url)?.[0] ?? url;
    let origin = this.#heads.get(head);
    if (origin === undefined) {
      origin = new URL(head).origin;
      if (this.#heads.size < 1_000) this.#heads.set(head, origin);
    }
    return origin;
  }

  #apiOf(origin: string): string | undefined {
    if (this.#originsSeen !== this.apis.changes) {
      this.#originsSeen = this.apis.changes;
      this.#origins = new Map(
        this.apis
          .all()
          .flatMap(({ name, api }) =>
            api.servers.flatMap((server) => (URL.canParse(server) ? [[new URL(server).origin, name]] : [])),
          ) as [string, string][],
      );
    }
    return this.#origins.get(origin);
  }

  #go(lane: Lane): PaceTurn {
    const sent = lane.pace.go(this.now());
    return {
      done: (answer) => {
        lane.pace.done(sent, answer, this.now());
        if (lane.order.length > 0) this.#pump(lane);
      },
    };
  }

  /** Lets go who may, in turns between workflows, and sets the timer for the next. */
  #pump(lane: Lane): void {
    clearTimeout(lane.timer);
    lane.timer = undefined;
    while (lane.order.length > 0 && !lane.pace.full) {
      const now = this.now();
      const next = lane.pace.next(now);
      if (next - now > longestInMemory) return this.#sendAway(lane, next);
      if (next > now) {
        lane.timer = setTimeout(() => this.#pump(lane), Math.max(1, next - now));
        return;
      }
      const workflow = lane.order.shift() as string;
      const queue = lane.waiting.get(workflow) as Waiter[];
      const waiter = queue.shift() as Waiter;
      if (queue.length > 0) lane.order.push(workflow);
      else lane.waiting.delete(workflow);
      waiter.resolve(this.#go(lane));
    }
  }

  /** It takes longer than anybody should wait in memory. */
  #sendAway(lane: Lane, until: number): void {
    const all = [...lane.waiting.values()].flat();
    lane.waiting.clear();
    lane.order = [];
    for (const waiter of all) waiter.resolve({ until });
  }

  #remove(lane: Lane, waiter: Waiter): void {
    const queue = lane.waiting.get(waiter.workflow);
    const at = queue?.indexOf(waiter) ?? -1;
    if (!queue || at < 0) return;
    queue.splice(at, 1);
    if (queue.length > 0) return;
    lane.waiting.delete(waiter.workflow);
    lane.order = lane.order.filter((workflow) => workflow !== waiter.workflow);
  }
}
