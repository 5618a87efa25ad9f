import type { HttpRequest } from "../../http/message.js";
import { isObject, type Json, type JsonObject } from "../../values/json.js";
import type { ReadyCall } from "../../workflows/steps.js";
import { innerIndex, itemLog, type StepLog } from "../log.js";
import { answerSecrets, shownUrl } from "../secrets.js";
import { StepFailed, Stopped, Unsure } from "../signals.js";
import type { Frame, Walk } from "../walk.js";
import { walkCall } from "./call.js";

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
): Promise<boolean> {
  const at = walk.ports.clock.now();
  if (!log.unsure) {
    const reason = "The service stopped after this call was about to be sent and before its answer was kept.";
    walk.note({ type: "unsure", path, attempt: log.sending, at, reason });
  }
  if (!log.decided && step.ifUnsure === "fail") {
    const message = `Nobody knows whether ${request.method} ${shownUrl(walk, log, request.url)} arrived. ${log.unsure?.reason ?? ""}`;
    return walk.fail(frame, step, log, { code: "unsure", message });
  }
  if (!log.decided && step.ifUnsure === "probe") await probe(walk, step, frame, log, path);
  switch (log.decided?.decision) {
    case undefined:
      throw new Unsure(path);
    case "again":
      return false;
    case "skip":
      walk.note({
        type: "ended",
        path,
        kind: "request",
        at,
        skipped: "Skipped by hand: nobody knows whether its call arrived.",
      });
      return true;
    case "stop":
      throw new Stopped("stopped", "Stopped by hand: nobody knows whether this call arrived.", path);
    case "happened": {
      const outcome = happened(log, request, log.decided?.outcome ?? null);
      const masked = answerSecrets(walk, outcome["body"] ?? null, ["steps", step.name, "body"]).map(
        (place) => ["outcome", "body", ...place],
      );
      walk.note({ type: "ended", path, kind: "request", at, outcome, masked });
      walk.settle(frame, step, outcome);
      return true;
    }
  }
}

/** Asks the far side, by the step's own call, whether it happened; what comes out is kept as a decision. */
async function probe(walk: Walk, step: ReadyCall, frame: Frame, log: StepLog, path: string): Promise<void> {
  if (!step.probe) return;
  const { call, happened: condition, outcome } = step.probe;
  const name = `probe${log.sending}`;
  const scope = itemLog(log, innerIndex);
  const inner: Frame = { ...frame, prefix: `${path}/`, log: scope, steps: { ...frame.steps } };
  try {
    await walkCall(walk, { ...call, name }, inner, scope.step(name));
    const seen = inner.steps[name] as JsonObject;
    const at = walk.ports.clock.now();
    const more = { ...seen, failure: null, repeated: true } as never;
    const arrived = walk.condition(condition, "probe.happened", path, frame, at, more);
    const body = arrived && outcome ? walk.evaluate(outcome, "probe.outcome", path, frame, at, more) : null;
    const masked = answerSecrets(walk, body, []).map((place) => ["outcome", "body", ...place]);
    walk.note({
      type: "decided",
      ...(masked.length > 0 ? { masked } : {}),
      at,
      path,
      decision: arrived ? "happened" : "again",
      ...(arrived ? { outcome: { body } } : {}),
      by: "probe",
    });
  } catch (error) {
    // It could not be found out: a person decides.
    if (!(error instanceof StepFailed)) throw error;
  }
}

/** The outcome of a call of which it is said that it happened, with what is known of its answer. */
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
