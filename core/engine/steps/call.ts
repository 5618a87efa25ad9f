import { secretsOf } from "../../credentials/credential.js";
import { SchemeFault } from "../../credentials/signed.js";
import { finishedRequest } from "../../http/multipart.js";
import { RequestRefused, TransportFailure, type HttpRequest } from "../../http/message.js";
import { isObject, type Json, type JsonObject } from "../../values/json.js";
import type { Path } from "../../values/paths.js";
import type { CallStep, ReadyCall } from "../../workflows/steps.js";
import type { EntryOf, RecordedRequest } from "../entries.js";
import type { StepLog } from "../log.js";
import { CredentialMissing, CredentialWaits, type CredentialUse } from "../ports.js";
import { answerSecrets } from "../secrets.js";
import { Asleep, Stopped, Unsure } from "../signals.js";
import type { Frame, Walk } from "../walk.js";
import { evaluated, takeEnded } from "./ended.js";
import { outcomeOf } from "./call-answer.js";
import { beginCall } from "./call-begin.js";
import { readyCall } from "./call-operation.js";
import { exchange, type Exchanged } from "./call-exchange.js";
import { judge, type Verdict } from "./call-judge.js";

/**
 * One call: pace → authorize → sending → send → read → success. Before each send of a call that writes, the journal
 * durably holds that it is about to go; what cuts it from its answer leaves it unsure.
 */
export async function walkCall(walk: Walk, given: CallStep, frame: Frame, log: StepLog): Promise<void> {
  if (takeEnded(walk, given, frame, log, () => outcomeOf(log))) return;
  const step = await readyCall(walk, given, frame, log);
  const path = frame.prefix + step.name;
  if (!log.begun) {
    walk.checkSignals(path);
    evaluated(walk, step, frame, log, () => beginCall(walk, step, frame, path));
  }
  const recorded = log.begun?.data["request"] as unknown as RecordedRequest;
  const request = isWhole(recorded) ? recorded : await finished(walk, step, frame, log, recorded);
  for (;;) {
    const last = log.attempts.at(-1);
    if (log.lost && step.effect === "writes") {
      if (resolveUnsure(walk, step, frame, log, path, request)) return;
    } else if (last && last.wait === undefined && !log.lost) {
      return finish(walk, step, frame, log, path, last, judge(walk, step, frame, log, path, last)); // judged before, and cut off from its end
    } else if (last?.wait !== undefined) await walk.sleepUntil(last.at + last.wait, path);
    walk.checkSignals(path);
    const attempt = log.sending + 1;
    const { use, ...sent } = await send(walk, step, frame, log, path, request, attempt);
    const entry = attemptEntry(walk, step, log, path, attempt, sent);
    if (use && (await worthAnotherProof(use, log, entry))) {
      walk.note({ ...entry, wait: 0, renewed: true });
      await walk.flush();
      continue;
    }
    const verdict = judge(walk, step, frame, log, path, entry);
    if (verdict.wait === undefined) {
      walk.note(entry);
      return finish(walk, step, frame, log, path, entry, verdict);
    }
    walk.note({ ...entry, wait: verdict.wait, ...(verdict.told ? { told: true } : {}) });
    await walk.flush();
  }
}

/** Notes the end of a call at its last attempt, in the same write as that attempt. */
function finish(
  walk: Walk,
  step: ReadyCall,
  frame: Frame,
  log: StepLog,
  path: string,
  last: EntryOf<"attempt">,
  verdict: Verdict,
): Promise<void> {
  if (verdict.error) walk.fail(frame, step, log, verdict.error);
  walk.note({ type: "ended", path, kind: "request", at: last.at });
  walk.settle(frame, step, outcomeOf(log));
  return walk.flush();
}

/** Tells a credential how its use came out. After a 401 there is one extra attempt, where another proof can be had. */
async function worthAnotherProof(
  use: CredentialUse,
  log: StepLog,
  { response }: EntryOf<"attempt">,
): Promise<boolean> {
  if (!response) return false;
  if (response.status !== 401) {
    if (response.status < 400) use.accepted();
    return false;
  }
  return !log.attempts.some((attempt) => attempt.renewed) && (await use.refused());
}

function isWhole(recorded: RecordedRequest): recorded is RecordedRequest & HttpRequest {
  return typeof recorded.body !== "object";
}

/** The request with its body put together, where files are in it. */
async function finished(
  walk: Walk,
  step: ReadyCall,
  frame: Frame,
  log: StepLog,
  recorded: RecordedRequest,
): Promise<HttpRequest> {
  try {
    return await finishedRequest(recorded, (id) => walk.ports.files.read(id));
  } catch (error) {
    if (!(error instanceof RequestRefused)) throw error;
    return walk.fail(frame, step, log, { code: error.code, message: error.message, field: "body" });
  }
}

/** Sends one attempt; a call that writes only once the journal says so. */
async function send(
  walk: Walk,
  step: ReadyCall,
  frame: Frame,
  log: StepLog,
  path: string,
  request: HttpRequest,
  attempt: number,
): Promise<Exchanged & { use?: CredentialUse }> {
  try {
    const use =
      step.using === undefined ? undefined : await walk.ports.credentials.read(step.using, request.url);
    if (use) walk.secret(secretsOf(use.proof), []);
    if (step.effect !== "reads") {
      walk.note({ type: "sending", path, attempt, at: walk.ports.clock.now() });
      await walk.commit();
    }
    const exchanged = await exchange(walk.ports, request, use?.proof, {
      timeout: step.timeout,
      signal: walk.signals.cut,
      follow: step.effect === "reads" && step.redirects === "follow",
    });
    return use ? { ...exchanged, use } : exchanged;
  } catch (error) {
    if (error instanceof CredentialWaits) {
      const waitsFor = { credential: error.credential, reason: error.message };
      throw new Asleep(Number.POSITIVE_INFINITY, path, waitsFor);
    }
    if (error instanceof TransportFailure) return failed(walk, step, path, attempt, error);
    if (error instanceof CredentialMissing)
      return walk.fail(frame, step, log, { code: "credential", message: error.message });
    if (error instanceof SchemeFault)
      return walk.fail(frame, step, log, { code: "credential", message: error.message });
    if (error instanceof RequestRefused)
      return walk.fail(frame, step, log, { code: error.code, message: error.message });
    throw error;
  }
}

async function failed(
  walk: Walk,
  step: ReadyCall,
  path: string,
  attempt: number,
  failure: TransportFailure,
): Promise<Exchanged> {
  if (failure.sent && step.effect === "writes") {
    const reason = failure.aborted ? "It was cut off while it was being sent." : failure.message;
    walk.note({ type: "unsure", path, attempt, at: walk.ports.clock.now(), reason });
    await walk.commit();
    if (failure.aborted) walk.checkSignals(path);
    throw new Unsure(path);
  }
  if (failure.aborted) walk.checkSignals(path);
  return { failure, sentAt: walk.ports.clock.now(), authorization: [], redirects: [] };
}

/**
 * What is to be done about a send whose fate is unknown.
 * @returns true when the step is over; false when it is to be sent again
 * @throws Unsure while nobody has decided
 */
function resolveUnsure(
  walk: Walk,
  step: ReadyCall,
  frame: Frame,
  log: StepLog,
  path: string,
  request: HttpRequest,
): boolean {
  const at = walk.ports.clock.now();
  if (!log.unsure) {
    const reason = "The service stopped after this call was about to be sent and before its answer was kept.";
    walk.note({ type: "unsure", path, attempt: log.sending, at, reason });
  }
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

/** The outcome of a call of which a person says that it happened, with what they know of its answer. */
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

function attemptEntry(
  walk: Walk,
  step: ReadyCall,
  log: StepLog,
  path: string,
  attempt: number,
  sent: Exchanged,
): EntryOf<"attempt"> {
  const entry: EntryOf<"attempt"> = {
    type: "attempt",
    path,
    attempt,
    at: walk.ports.clock.now(),
    sentAt: sent.sentAt,
  };
  if (sent.authorization.length > 0) entry.authorization = sent.authorization;
  if (sent.redirects.length > 0) entry.redirects = sent.redirects;
  if (sent.failure) {
    entry.failure = { kind: sent.failure.kind, message: sent.failure.message, sent: sent.failure.sent };
    return entry;
  }
  if (!sent.response) return entry;
  entry.response = sent.response;
  const drift = step.described?.departures?.(sent.response) ?? [];
  if (drift.length > 0) entry.drift = drift;
  const masked: Path[] = answerSecrets(walk, entry.response.body, ["steps", step.name, "body"]).map(
    (place) => ["response", "body", ...place],
  );
  if (log.begun?.masked?.some((place) => place.at(-1) === "url")) {
    walk.secret([], [["steps", step.name, "url"]]);
    masked.push(["response", "url"]);
  }
  if (masked.length > 0) entry.masked = masked;
  return entry;
}
