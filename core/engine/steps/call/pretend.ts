import { TransportFailure, type FailureKind } from "../../../http/message.js";
import { own } from "../../../values/json.js";
import type { ReadyCall } from "../../../workflows/steps.js";
import type { RecordedResponse } from "../../entries.js";
import type { Frame } from "../../frame.js";
import type { PlannedFault } from "../../options.js";
import type { Walk } from "../../walk.js";
import type { Exchanged } from "./exchange.js";
import type { Leg } from "./leg.js";

/** Successful statuses, in the order in which they are tried for a response that is made up. */
const goodStatuses = [200, 201, 202, 204];

/** Connections that fail once the request is on its way: it is sent, and its response is not looked at. */
const failsBehind: ReadonlySet<FailureKind> = new Set(["cut", "timeout"]);

function faultOf(walk: Walk, step: ReadyCall, attempt: number): PlannedFault | undefined {
  const planned = walk.options.faults?.find((fault) => fault.step === step.name);
  return planned && attempt <= planned.times ? planned : undefined;
}

/** How this run loses the response of an attempt that is sent; undefined where it does not. */
export function lostResponse(walk: Walk, step: ReadyCall, attempt: number): TransportFailure | undefined {
  const failure = faultOf(walk, step, attempt)?.failure;
  return failure && failsBehind.has(failure)
    ? new TransportFailure(failure, "It was sent; this run simulates that its response is lost.", true)
    : undefined;
}

/** The fault that this run puts on an attempt, instead of sending it. */
export function plannedFault(walk: Walk, step: ReadyCall, attempt: number): Exchanged | undefined {
  const planned = faultOf(walk, step, attempt);
  if (!planned || (planned.failure && failsBehind.has(planned.failure))) return undefined;
  const sentAt = walk.ports.clock.now();
  const common = { sentAt, authorization: [], redirects: [] };
  if (planned.failure)
    return {
      ...common,
      failure: new TransportFailure(planned.failure, "This run simulates a fault at this step.", false),
    };
  const { status = 503, headers = {}, body = null } = planned;
  return { ...common, response: { status, headers, body, url: "" } };
}

/**
 * What stands for the response of a call that a rehearsal holds back: a example of its document, what it answered in an
 * earlier run, or the least that counts as success.
 */
export function notSent(walk: Walk, step: ReadyCall, frame: Frame, leg: Leg): Exchanged {
  const sentAt = walk.ports.clock.now();
  const example = step.described?.example?.() ?? earlier(walk, step);
  const { url } = leg.request;
  const answers: RecordedResponse[] = [
    ...(example ? [{ headers: {}, url, ...example }] : []),
    ...goodStatuses.map((status) => ({ status, headers: {}, body: example?.body ?? null, url })),
  ];
  const good = answers.find((answer) => isGood(walk, step, frame, answer, sentAt)) ?? answers[0];
  return { sentAt, authorization: [], redirects: [], response: good as RecordedResponse };
}

/** What this call answered in an earlier run. */
function earlier(walk: Walk, step: ReadyCall): Omit<RecordedResponse, "url"> | undefined {
  return own(walk.options.responses ?? {}, step.name) as Omit<RecordedResponse, "url"> | undefined;
}

function isGood(walk: Walk, step: ReadyCall, frame: Frame, answer: RecordedResponse, at: number): boolean {
  if (!step.success) return answer.status >= 200 && answer.status <= 299;
  const { status, headers, body } = answer;
  const seen = { status, headers, body, failure: null, repeated: false };
  try {
    return walk.read.condition(step.success, "success", frame.prefix + step.name, frame, at, seen);
  } catch {
    return false;
  }
}
