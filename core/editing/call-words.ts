import { defaultEffect, type Effect } from "../http/effect.js";
import type { FailureKind } from "../http/message.js";
import {
  isSafeToRepeat,
  nextWait,
  worthRepeating,
  type AttemptResult,
  type RetryPlan,
} from "../http/retry.js";
import { printForPeople } from "../values/durations.js";
import { innerSteps } from "../workflows/nested.js";
import type { CallStep, Step } from "../workflows/steps.js";

/** So many waits are listed; of more the last is. */
const mostListed = 6;
/** Statuses that may be a reason to repeat. */
const statuses = [408, 425, 429, 500, 502, 503, 504];

/**
 * What will happen when a call does not succeed at once, in sentences: made from what the engine itself goes by.
 * @param effect of the call: whether it only reads
 */
export function callWords(call: CallStep, effect: Effect): string[] {
  const safe = isSafeToRepeat(effect, call);
  return [
    ...retryWords(call.retry, effect, safe),
    ...(effect === "writes" && call.idempotency === undefined ? [unsureWords[call.ifUnsure]] : []),
    ...(call.idempotency
      ? [`The API knows a repeat by a key (${call.idempotency.name}), so that sending again does no harm.`]
      : []),
    ...pageWords(call),
    ...(call.until
      ? [
          `Asks again every ${printForPeople(call.until.every)}, for at most ${printForPeople(call.until.within)}, until ${call.until.done.text} is true.`,
        ]
      : []),
    `Waits up to ${printForPeople(call.timeout.connect)} for the connection and ${printForPeople(call.timeout.response)} for the response.`,
    ...(call.whenLimited === "skip" ? ["Is skipped while the rate limit of its API is used up."] : []),
    ...(call.success ? [`Counts as a success if ${call.success.text} is true.`] : []),
  ];
}

/**
 * The sentences about the call at a line of a file; none where there is no call.
 * @param effectOf the effect that the document of an API gives an operation
 */
export function callWordsAt(
  steps: readonly Step[],
  line: number,
  effectOf: (api: string, id: string) => Effect | undefined,
): string[] {
  const call = callAt(steps, line);
  if (!call) return [];
  const { operation, method } = call;
  const told = operation ? effectOf(operation.api, operation.id) : defaultEffect(method);
  return callWords(call, call.effect ?? told ?? "writes");
}

/** The call at a line of a file. */
export function callAt(steps: readonly Step[], line: number): CallStep | undefined {
  for (const step of steps) {
    if (step.line === line && step.kind === "request") return step;
    for (const inner of innerSteps(step)) {
      const found = callAt(inner, line);
      if (found) return found;
    }
  }
  return undefined;
}

const unsureWords: Record<CallStep["ifUnsure"], string> = {
  ask: "If nobody knows whether it arrived, the run waits for a person to decide.",
  repeat: "If nobody knows whether it arrived, it is sent again.",
  fail: "If nobody knows whether it arrived, the step fails.",
  probe: "If nobody knows whether it arrived, the probe looks.",
};

function retryWords(retry: CallStep["retry"], effect: Effect, safe: boolean): string[] {
  const waits = waitsOf(retry);
  if (waits.length === 0) return ["Is sent once, and not again."];
  const shown = waits.map(printForPeople);
  const listed =
    shown.length <= mostListed
      ? inWords(shown, "and")
      : `${shown.slice(0, 3).join(", ")} and so on, the last time after ${shown.at(-1)}`;
  const times = shown.length > mostListed ? `, ${shown.length} times at most` : "";
  const chance = retry.jitter > 0 ? " (a little more by chance)" : "";
  const because = retry.onlyWhen ? `only when ${retry.onlyWhen.text} is true` : reasons(retry, effect, safe);
  const most =
    retry.after || retry.most < Infinity
      ? [`A response that asks for a longer wait than ${printForPeople(retry.most)} fails the step.`]
      : [];
  return [`Tries again after ${listed}${times}${chance}, ${because}.`, ...most];
}

/** The waits of a plan, without what chance adds. */
function waitsOf(plan: RetryPlan): number[] {
  const waits: number[] = [];
  for (;;) {
    const next = nextWait(plan, waits.length, failed("connect"), 0, 0);
    if ("giveUp" in next) return waits;
    waits.push(next.wait);
  }
}

const failed = (failure: FailureKind, sent = false): AttemptResult => ({
  status: 0,
  headers: {},
  failure,
  sent,
});
const answered = (status: number, headers = {}): AttemptResult => ({
  status,
  headers,
  failure: null,
  sent: true,
});

/** For what reasons a call is repeated, by what the engine says of each outcome. */
function reasons({ when }: CallStep["retry"], effect: Effect, safe: boolean): string {
  const repeated = (result: AttemptResult): boolean => worthRepeating(result, effect, safe);
  const always = statuses.filter((status) => repeated(answered(status)));
  const asking = statuses.filter(
    (status) => !always.includes(status) && repeated(answered(status, { "retry-after": "1" })),
  );
  const found = [
    repeated(failed("timeout", true)) ? "when no response comes" : "when nothing was sent",
    `when the response is ${inWords(always.map(String), "or")}`,
    ...(asking.length > 0
      ? [`when it is ${inWords(asking.map(String), "or")} and says when to come again`]
      : []),
    ...(when ? [`when ${when.text} is true`] : []),
  ];
  return inWords(found, "or");
}

function pageWords({ pages }: CallStep): string[] {
  if (pages === undefined) return [];
  if (pages === "all")
    return ["Reads page after page, as the API's document says; steps behind it see all items."];
  const ways = {
    link: "the link to the next page",
    cursor: "its cursor",
    page: "the number of the page",
    offset: "the number of the first item",
  };
  const most = pages.most === undefined ? "" : `, ${pages.most} at most`;
  return [`Reads page after page by ${ways[pages.by]}${most}; steps behind it see all items.`];
}

function inWords(list: readonly string[], word: string): string {
  return list.length < 2 ? (list[0] ?? "") : `${list.slice(0, -1).join(", ")} ${word} ${list.at(-1)}`;
}
