import {
  allServers,
  bounds,
  RateLimit,
  rateLimitPolicy,
  type LimitedCall,
  type RateLimits,
  type SendTurn,
} from "@copper-kettle/core";
import type { ApiStore } from "../store/apis.js";

/** Somebody waits no longer than this in memory, in milliseconds; a run then sleeps in the store. */
const longestInMemory = 30_000;

/** A clock that goes back by more than this, in milliseconds, was set. */
const setBack = 1_000;

interface Waiter {
  workflow: string;
  resolve(turn: SendTurn | { until: number }): void;
}

/** Whatever calls one API with one credential: its rate limit, and who waits, by workflow. */
interface Lane {
  limit: RateLimit;
  api: string | undefined;
  /** How many changes of APIs the policy has seen. */
  seen: number;
  waiting: Map<string, Waiter[]>;
  /** The workflows that wait, the one whose turn comes next first. */
  order: string[];
  timer: NodeJS.Timeout | undefined;
}

/** What people see of a rate limit. */
export interface RateLimitView {
  api: string | null;
  target: string;
  credential: string | null;
  calls: number | null;
  per: number | null;
  parallel: number | null;
  under: number;
  waiting: number;
  pausedUntil: number | null;
}

/** The rate limit of all calls: shared by all runs, with fair turns between workflows. */
export class RateLimiter implements RateLimits {
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
      for (const { limit } of this.#lanes.values()) limit.moveBy(now - this.#seen);
    this.#seen = now;
    return now;
  }

  take(call: LimitedCall): SendTurn | undefined {
    const lane = this.#lane(call);
    if (lane.order.length > 0 || lane.limit.full || lane.limit.next(this.now()) > this.now())
      return undefined;
    return this.#go(lane);
  }

  expected(call: LimitedCall): number {
    const lane = this.#lane(call);
    const before = [...lane.waiting.values()].reduce((sum, queue) => sum + queue.length, 0);
    return lane.limit.next(this.now(), before);
  }

  wait(call: LimitedCall, signal: AbortSignal): Promise<SendTurn | { until: number }> {
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

  /** All rate limits that delay something or were set by a response. */
  view(): RateLimitView[] {
    return [...this.#lanes].map(([key, { limit, api, waiting }]) => {
      const [target = "", credential = ""] = key.split(" ");
      const rate = limit.rate;
      return {
        api: api ?? null,
        target,
        credential: credential || null,
        calls: rate?.calls ?? null,
        per: rate?.per ?? null,
        parallel: limit.policy?.parallel ?? null,
        under: limit.under,
        waiting: [...waiting.values()].reduce((sum, queue) => sum + queue.length, 0),
        pausedUntil: limit.pausedUntil > this.now() ? limit.pausedUntil : null,
      };
    });
  }

  /** The API one of whose servers is at a URL's origin. */
  apiOf(url: string): string | undefined {
    return this.#apiAt(this.#originOf(url));
  }

  #lane(call: LimitedCall): Lane {
    const origin = this.#originOf(call.url);
    const api = call.api ?? this.#apiAt(origin);
    const key = `${api ?? origin} ${call.credential ?? ""}`;
    let lane = this.#lanes.get(key);
    if (!lane) {
      lane = { limit: new RateLimit(), api, seen: -1, waiting: new Map(), order: [], timer: undefined };
      if (this.#lanes.size >= bounds.lanes) this.#forgetIdle();
      this.#lanes.set(key, lane);
    }
    if (api !== undefined && lane.seen !== this.apis.changes) {
      lane.limit.policy = rateLimitPolicy(this.apis.document(api)?.["x-ckettle-rate-limit"]);
      lane.seen = this.apis.changes;
    }
    return lane;
  }

  /** Lanes on which nothing goes and nobody waits, the eldest half of them: a far host may be met once in a life. */
  #forgetIdle(): void {
    let left = bounds.lanes / 2;
    for (const [key, { limit, order }] of this.#lanes) {
      if (left-- <= 0) return;
      if (order.length === 0 && limit.under === 0 && limit.pausedUntil <= this.now()) this.#lanes.delete(key);
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

  #apiAt(origin: string): string | undefined {
    if (this.#originsSeen !== this.apis.changes) {
      this.#originsSeen = this.apis.changes;
      this.#origins = new Map(
        this.apis
          .all()
          .flatMap(({ name, api }) =>
            allServers(api).flatMap((server) =>
              URL.canParse(server) ? [[new URL(server).origin, name]] : [],
            ),
          ) as [string, string][],
      );
    }
    return this.#origins.get(origin);
  }

  #go(lane: Lane): SendTurn {
    const sent = lane.limit.go(this.now());
    return {
      done: (answer) => {
        lane.limit.done(sent, answer, this.now());
        if (lane.order.length > 0) this.#pump(lane);
      },
    };
  }

  /** Lets go who may, in turns between workflows, and sets the timer for the next. */
  #pump(lane: Lane): void {
    clearTimeout(lane.timer);
    lane.timer = undefined;
    while (lane.order.length > 0 && !lane.limit.full) {
      const now = this.now();
      const next = lane.limit.next(now);
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
