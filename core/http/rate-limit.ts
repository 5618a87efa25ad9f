import { parseDuration } from "../values/durations.js";
import { isObject, type Json } from "../values/json.js";
import { rateTold, retryAfter } from "./retry-after.js";
import type { ResponseHeaders } from "./message.js";

/** How fast calls may go: so many in a time, and so many at once. Times in milliseconds. */
export interface RateLimitPolicy {
  calls?: number;
  per?: number;
  parallel?: number;
}

/** A pause that a response asks for is taken as no longer than this, in milliseconds. */
const longestPause = 3_600_000;
/** What everyone waits after a 429 that does not say how long, in milliseconds. */
const pauseUntold = 1_000;
const mostCalls = 10_000;
/** A request may arrive this much later than it was sent, in milliseconds; unless its response came before. */
const longestWay = 500;

/** A call in the window: from when it was sent, and when its response came. */
interface Sent {
  went: number;
  came: number | undefined;
}

/**
 * Reads `x-ckettle-rate-limit: { calls: 5, per: 1s, parallel: 2 }` of an API's document.
 * @returns undefined if it says nothing that can be read
 */
export function rateLimitPolicy(value: Json | undefined): RateLimitPolicy | undefined {
  if (!isObject(value)) return undefined;
  const whole = (key: string): number | undefined => {
    const number = value[key];
    return typeof number === "number" && number >= 1 ? Math.min(mostCalls, Math.floor(number)) : undefined;
  };
  const [calls, parallel] = [whole("calls"), whole("parallel")];
  const per = typeof value["per"] === "string" ? parseDuration(value["per"]) : undefined;
  const policy: RateLimitPolicy = {
    ...(calls !== undefined && per !== undefined && per > 0 ? { calls, per } : {}),
    ...(parallel === undefined ? {} : { parallel }),
  };
  return Object.keys(policy).length > 0 ? policy : undefined;
}

/**
 * The rate limit of one API with one credential: the API never sees more than so many calls in any stretch of the time,
 * however it is laid (a sliding window); and what its responses say, for everyone who shares it.
 */
export class RateLimit {
  /** The last calls, the oldest first; no more than the window holds. */
  #sent: Sent[] = [];
  #under = 0;
  #pausedUntil = 0;
  #told: Required<Pick<RateLimitPolicy, "calls" | "per">> | undefined;
  policy: RateLimitPolicy | undefined;

  /** The rate that holds: the one that was set, else the one that responses gave. */
  get rate(): { calls: number; per: number } | undefined {
    const { calls, per } = this.policy ?? {};
    return calls !== undefined && per !== undefined ? { calls, per } : this.#told;
  }

  /** Until when a response asked everyone to wait, in milliseconds since 1970. */
  get pausedUntil(): number {
    return this.#pausedUntil;
  }

  get under(): number {
    return this.#under;
  }

  /** Whether as many are under way as may be. */
  get full(): boolean {
    return this.policy?.parallel !== undefined && this.#under >= this.policy.parallel;
  }

  /**
   * When a call may go that has some others before it, in milliseconds since 1970.
   * @param before how many go before it
   */
  next(now: number, before = 0): number {
    const { rate } = this;
    const earliest = Math.max(now, this.#pausedUntil);
    if (!rate) return earliest;
    const arrived = this.#arrivals(now, rate.per);
    const free = rate.calls - arrived.length;
    if (before < free) return earliest;
    const place = before - free;
    // The call that has to leave the window first; further ones leave one window later.
    const leaving = arrived[place % rate.calls] ?? now;
    return Math.max(earliest, leaving + rate.per * (1 + Math.floor(place / rate.calls)));
  }

  /** A call goes now. Returns what is to be given to `done`. */
  go(now: number): Sent {
    this.#under++;
    const sent: Sent = { went: now, came: undefined };
    if (this.rate) this.#sent.push(sent);
    return sent;
  }

  /** The clock was set: what lies ahead stays as far ahead, and what is past as long past. */
  moveBy(millis: number): void {
    if (this.#pausedUntil > 0) this.#pausedUntil += millis;
    for (const sent of this.#sent) {
      sent.went += millis;
      if (sent.came !== undefined) sent.came += millis;
    }
  }

  /** A call is over; what its response says holds from here on. */
  done(sent: Sent, answer: { status: number; headers: ResponseHeaders } | undefined, now: number): void {
    this.#under--;
    sent.came = now;
    if (!answer) return;
    const told = rateTold(answer.headers, now);
    if (told.limit) this.#told = { calls: Math.min(mostCalls, told.limit.calls), per: told.limit.per };
    const asked =
      answer.status === 429
        ? (retryAfter(answer.headers, now) ?? told.reset ?? pauseUntold)
        : told.remaining === 0
          ? told.reset
          : undefined;
    if (asked !== undefined)
      this.#pausedUntil = Math.max(this.#pausedUntil, now + Math.min(longestPause, asked));
  }

  /** By when each call of the window has arrived on the API, at the latest; the window counts from there. */
  #arrivals(now: number, per: number): number[] {
    const arrived = this.#sent.map(({ went, came }) => Math.min(came ?? now, went + longestWay, now));
    const keep = arrived.findIndex((at) => at + per > now);
    const gone = keep < 0 ? arrived.length : keep;
    this.#sent.splice(0, gone);
    return arrived.slice(gone).sort((a, b) => a - b);
  }
}
