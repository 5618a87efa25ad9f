import { isSafeToRepeat } from "../../../http/retry.js";
import type { Effect } from "../../../http/effect.js";
import { RequestRefused, type HttpRequest } from "../../../http/message.js";
import { asLook, movedTo, type SecretParts } from "../../../http/other-origin.js";
import { withPageMark } from "../../../http/pages.js";
import type { ReadyCall } from "../../../workflows/steps.js";
import type { EntryOf } from "../../entries.js";
import type { StepLog } from "../../replayed.js";

/** One request of a call and its repeats: the first, a further page, or a look whether it is done. */
export interface Leg {
  number: number;
  request: HttpRequest;
  effect: Effect;
}

/**
 * The leg that a call is at, by what the journal holds. What goes to another origin than the first request loses what
 * is secret in it.
 * @throws RequestRefused where its body is secret, and would go there
 */
export function legOf(log: StepLog, step: ReadyCall, first: HttpRequest, secrets: SecretParts): Leg {
  const number = currentLeg(log);
  const next = number === 0 ? undefined : log.attempts.findLast((attempt) => attempt.next)?.next;
  if (!next) return { number, request: first, effect: step.effect };
  const moved = movedTo(next.look ? asLook(first) : first, next.url, secrets);
  const request = moved && next.mark ? withPageMark(moved, next.mark) : moved;
  if (!request)
    throw new RequestRefused(
      "bad-request",
      `The response leads to ${new URL(next.url).origin}, and the body of this request holds a secret that was meant for ${new URL(first.url).origin}.`,
    );
  return { number, request, effect: next.look ? "reads" : step.effect };
}

function currentLeg(log: StepLog): number {
  const last = log.attempts.at(-1);
  if (!last) return 0;
  return (last.leg ?? 0) + (last.next ? 1 : 0);
}

/** The attempts of one leg. */
export function attemptsOf(log: StepLog, leg: number): EntryOf<"attempt">[] {
  return log.attempts.filter((attempt) => (attempt.leg ?? 0) === leg);
}

/** Whether sending it twice is known to do no harm. */
export function isSafe(step: ReadyCall, leg: Leg): boolean {
  return isSafeToRepeat(leg.effect, step);
}
