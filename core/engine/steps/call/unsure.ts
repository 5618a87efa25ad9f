import { isWhatWasSent } from "../../../http/conditional.js";
import type { HttpRequest } from "../../../http/message.js";
import { defaultRetry, isGone } from "../../../http/retry.js";
import { isObject, type Json, type JsonObject } from "../../../values/json.js";
import type { CallStep, ReadyCall } from "../../../workflows/steps.js";
import type { Decision, EntryOf, UnknownCause } from "../../entries.js";
import { innerIndex, itemLog, type StepLog } from "../../replayed.js";
import { responseSecrets, shownCall } from "../../secrets.js";
import { StepFailed, Stopped, Unsure } from "../../signals.js";
import type { Frame } from "../../frame.js";
import type { Walk } from "../../walk.js";

/** What a response of a kind leaves open. */
const leftOpen: Record<UnknownCause, string> = {
  gateway: "The gateway in front of the API does not know whether the call was carried out.",
  precondition:
    "The call was sent before without a response of the API. It may be that first send that changed what the condition asks for.",
};

/** Notes that a response leaves open whether its call was carried out. */
export async function noteUnknown(
  walk: Walk,
  { path, attempt, at, response, authorization, masked }: EntryOf<"attempt">,
  cause: UnknownCause,
  what: string,
): Promise<void> {
  walk.write.note({
    type: "unsure",
    path,
    attempt,
    at,
    reason: `${what.replace(/[^.!?…]$/, "$&.")} ${leftOpen[cause]}`,
    cause,
    ...(response ? { response } : {}),
    ...(authorization ? { authorization } : {}),
    ...(masked ? { masked } : {}),
  });
  await walk.write.commit();
}

/** Walks a call: the probe is one, too. */
type WalkCall = (walk: Walk, call: CallStep, frame: Frame, log: StepLog) => Promise<void>;

/**
 * What is to be done about a send whose fate is unknown.
 * @returns true when the step is over; false when it is to be sent again
 * @throws Unsure while nobody has decided; StepFailed where the step says so
 */
export async function resolveUnsure(
  walk: Walk,
  step: ReadyCall,
  frame: Frame,
  log: StepLog,
  path: string,
  request: HttpRequest,
  walkCall: WalkCall,
): Promise<boolean> {
  const at = walk.ports.clock.now();
  if (!log.unsure) {
    const reason = "The service stopped while this call was being sent, before its response was recorded.";
    walk.write.note({ type: "unsure", path, attempt: log.sending, at, reason });
  }
  if (!log.decided && step.ifUnsure === "fail") {
    const message = `We cannot tell whether ${shownCall(walk, log, step, request)} was carried out. ${log.unsure?.reason ?? ""}`;
    return walk.write.fail(frame, step, log, { code: "unsure", message });
  }
  if (!log.decided && step.ifUnsure === "probe") await probe(walk, step, frame, log, path, walkCall);
  else if (!log.decided && log.unsure?.cause === "precondition")
    await look(walk, step, frame, log, path, request, walkCall);
  switch (log.decided?.decision) {
    default:
      // Whoever stopped the run is not asked about its calls.
      if (walk.progress.stopping) walk.progress.check(frame, path);
      throw new Unsure(path);
    case "again":
      return false;
    case "skip":
      walk.write.note({
        type: "ended",
        path,
        kind: "request",
        at,
        skipped: "Skipped by hand, without knowing whether its call was carried out.",
      });
      return true;
    case "stop":
      throw new Stopped(
        "stopped",
        "Stopped by hand, without knowing whether this call was carried out.",
        path,
      );
    case "happened": {
      const outcome = happened(log, request, log.decided?.outcome ?? null);
      const masked = responseSecrets(walk, outcome["body"] ?? null, ["steps", step.name, "body"]).map(
        (place) => ["outcome", "body", ...place],
      );
      walk.write.note({ type: "ended", path, kind: "request", at, outcome, masked });
      walk.write.settle(frame, step, outcome);
      return true;
    }
  }
}

/** The outcome of a call that asks for another one, whose path it stands in. */
async function asked(
  walk: Walk,
  call: CallStep,
  frame: Frame,
  log: StepLog,
  path: string,
  walkCall: WalkCall,
): Promise<JsonObject> {
  const scope = itemLog(log, innerIndex);
  const inner: Frame = { ...frame, prefix: `${path}/`, log: scope, steps: { ...frame.steps } };
  await walkCall(walk, call, inner, scope.step(call.name));
  return inner.steps[call.name] as JsonObject;
}

/** Asks the API, by the step's own call, whether it happened; the outcome is stored as a decision. */
async function probe(
  walk: Walk,
  step: ReadyCall,
  frame: Frame,
  log: StepLog,
  path: string,
  walkCall: WalkCall,
): Promise<void> {
  if (!step.probe) return;
  const { call, happened: condition, outcome } = step.probe;
  const name = `probe${log.sending}`;
  try {
    const seen = await asked(walk, { ...call, name }, frame, log, path, walkCall);
    const at = walk.ports.clock.now();
    const more = { ...seen, failure: null, repeated: true } as never;
    const arrived = walk.read.condition(condition, "probe.happened", path, frame, at, more);
    const body =
      arrived && outcome ? walk.read.evaluate(outcome, "probe.outcome", path, frame, at, more) : null;
    decide(walk, path, arrived ? "happened" : "again", "probe", arrived ? { body } : undefined);
  } catch (error) {
    // It could not be found out: a person decides.
    if (!(error instanceof StepFailed)) throw error;
  }
}

/** Notes what was found out of a call, in place of a person. */
function decide(walk: Walk, path: string, decision: Decision, by: string, outcome?: JsonObject): void {
  const masked = responseSecrets(walk, outcome?.["body"] ?? null, []).map((place) => [
    "outcome",
    "body",
    ...place,
  ]);
  walk.write.note({
    type: "decided",
    at: walk.ports.clock.now(),
    path,
    decision,
    by,
    ...(outcome ? { outcome } : {}),
    ...(masked.length > 0 ? { masked } : {}),
  });
}

/**
 * Looks with a GET of the same URL whether a conditional call happened: it did if what is there is what was sent, or is
 * gone where it was to be deleted. Anything else proves nothing, since somebody may have changed it since.
 */
async function look(
  walk: Walk,
  step: ReadyCall,
  frame: Frame,
  log: StepLog,
  path: string,
  request: HttpRequest,
  walkCall: WalkCall,
): Promise<void> {
  const name = `look${log.sending}`;
  const { url } = request;
  const call: CallStep = {
    kind: "request",
    name,
    line: step.line,
    reads: [],
    method: "GET",
    url: { source: url, parts: [{ text: url }], alone: undefined },
    effect: "reads",
    timeout: step.timeout,
    redirects: "none",
    retry: defaultRetry,
    ifUnsure: "ask",
    whenLimited: "wait",
    ...(step.using === undefined ? {} : { using: step.using }),
  };
  try {
    const there = await asked(walk, call, frame, log, path, walkCall);
    if (isWhatWasSent(request.body, there))
      decide(walk, path, "happened", "look", {
        body: there["body"] ?? null,
        headers: there["headers"] ?? {},
      });
  } catch (error) {
    if (!(error instanceof StepFailed)) throw error;
    if (request.method === "DELETE" && isGone(error.error.status))
      decide(walk, path, "happened", "look", { body: null });
  }
}

/** The outcome of a call of which it is said that it happened, with what is known of its response. */
function happened(log: StepLog, request: HttpRequest, given: Json): JsonObject {
  const known = isObject(given) ? given : { body: given };
  return {
    status: 200,
    headers: {},
    body: null,
    url: request.url,
    cookies: {},
    took: 0,
    attempts: log.sending,
    decided: "happened",
    ...known,
  };
}
