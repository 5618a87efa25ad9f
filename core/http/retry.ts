import type { Effect } from "./effect.js";
import type { FailureKind, ResponseHeaders } from "./message.js";
import { rateTold, retryAfter } from "./retry-after.js";

/** When and how often a call is sent again. All times in milliseconds. */
export interface RetryPlan {
  /** A ladder of waits, one a repeat; or a growing wait. */
  waits?: readonly number[];
  times: number;
  wait: number;
  factor: number;
  /** The longest single wait. A response that asks for more fails the step (`told-to-wait`). */
  most: number;
  /** Up to this fraction of a wait is added to it, so that many runs do not come back at once. */
  jitter: number;
}

/** The plan of a call that says nothing of its own. */
export const defaultRetry: RetryPlan = { times: 3, wait: 1_000, factor: 2, most: 600_000, jitter: 0.2 };

/** How an attempt came out. */
export interface AttemptResult {
  /** 0 if there was no response. */
  status: number;
  headers: ResponseHeaders;
  failure: FailureKind | null;
  /** Whether a byte of the request may have been sent. */
  sent: boolean;
}

/** Statuses that say that a later try may do (RFC 9110 section 15, RFC 6585 section 4 for 429, RFC 8470 section 5.2 for 425). */
const retried = new Set([408, 425, 429, 500, 502, 503, 504]);

/** 502 and 504 come from a gateway that does not know what became of the request (RFC 9110 sections 15.6.3, 15.6.5). */
export function isOfGateway(status: number): boolean {
  return status === 502 || status === 504;
}

/** Nothing is there any more, or never was (RFC 9110 sections 15.5.5 and 15.5.11). */
export function isGone(status: number | undefined): boolean {
  return status === 404 || status === 410;
}

/**
 * Whether an attempt that failed may be repeated for a reason that holds everywhere: the connection failed, or the
 * status says that a later try may do. A call that writes only where the failure proves that it was not taken:
 * nothing was sent, 425, 429, or 503 with Retry-After.
 * @param safe whether a repeat is known to do no harm (a reading or repeatable call, or one with a key)
 */
export function worthRepeating(result: AttemptResult, effect: Effect, safe: boolean): boolean {
  if (result.failure) return result.failure !== "tls" && (!result.sent || effect !== "writes" || safe);
  if (!retried.has(result.status)) return false;
  if (effect !== "writes" || safe) return true;
  return (
    result.status === 425 ||
    result.status === 429 ||
    (result.status === 503 && result.headers["retry-after"] !== undefined)
  );
}

/** Whether sending a call twice is known to do no harm: by its effect, its key, or because its step says so. */
export function isSafeToRepeat(effect: Effect, call: { idempotency?: unknown; ifUnsure: string }): boolean {
  return effect !== "writes" || call.idempotency !== undefined || call.ifUnsure === "repeat";
}

export type NextWait = { wait: number; told: boolean } | { giveUp: "spent" | "told-to-wait"; asked?: number };

/**
 * How long to wait before the next attempt. What the response asks for (Retry-After) counts over the plan's own wait.
 * @param repeats how many repeats there were before this one
 * @param fraction a number from 0 up to 1 that stands for chance
 * @param now milliseconds since 1970
 * @param said the wait that the response asks for in its body, in milliseconds
 */
export function nextWait(
  plan: RetryPlan,
  repeats: number,
  result: AttemptResult,
  fraction: number,
  now: number,
  said?: number,
): NextWait {
  const planned = plan.waits
    ? plan.waits[repeats]
    : repeats < plan.times
      ? plan.wait * plan.factor ** repeats
      : undefined;
  if (planned === undefined) return { giveUp: "spent" };
  const asked = askedWait(result, now) ?? said;
  if (asked !== undefined) {
    if (asked > plan.most) return { giveUp: "told-to-wait", asked };
    const more = Math.round(Math.min(1_000, asked * plan.jitter) * fraction);
    return { wait: Math.min(plan.most, asked + more), told: true };
  }
  return { wait: Math.round(Math.min(plan.most, planned * (1 + plan.jitter * fraction))), told: false };
}

/** What a response asks to wait: by Retry-After, or by a rate limit that is used up. */
function askedWait({ status, headers }: AttemptResult, now: number): number | undefined {
  const after = retryAfter(headers, now);
  if (after !== undefined || (status !== 429 && status !== 503)) return after;
  const { remaining, reset } = rateTold(headers, now);
  return remaining === 0 ? reset : undefined;
}
