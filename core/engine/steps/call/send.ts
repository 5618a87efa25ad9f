import { secretsOf } from "../../../credentials/credential.js";
import { SchemeFault } from "../../../credentials/signed.js";
import { RequestRefused, TransportFailure } from "../../../http/message.js";
import type { Path } from "../../../values/paths.js";
import type { JsonObject } from "../../../values/json.js";
import { secretFormValues } from "../../../values/masking.js";
import type { ReadyCall } from "../../../workflows/steps.js";
import type { EntryOf, RecordedResponse, ShownAuthorization } from "../../entries.js";
import type { StepLog } from "../../replayed.js";
import { CredentialMissing, CredentialWaits, type CredentialUse, type FileAbout } from "../../ports.js";
import { responseSecrets, statedSecrets } from "../../secrets.js";
import { StepFailed } from "../../signals.js";
import type { Frame } from "../../frame.js";
import type { Walk } from "../../walk.js";
import { exchange, type Exchanged, type ExchangeOptions } from "./exchange.js";
import { unchangedSecrets, unchangedSince } from "./conditions.js";
import { waitSaid } from "./judge.js";
import { StopWhen } from "./stop-when.js";
import { lostResponse, notSent, plannedFault } from "./pretend.js";
import type { SecretParts } from "../../../http/other-origin.js";
import { isSafe, type Leg } from "./leg.js";
import { usesOf } from "./using.js";
import { turnToSend, type Turn } from "./turn.js";

/** What became of a send. */
export type Sent =
  | (Exchanged & { use?: CredentialUse; pretended?: "rehearsal" | "fault" })
  /** Nobody knows whether it arrived. */
  | "unsure"
  /** The rate limit allows no call now, and the step says to skip it then. */
  | "skipped";

/** Sends one attempt: rate limit, authorization, and of a call that writes the journal's word that it is about to go. */
export async function send(
  walk: Walk,
  step: ReadyCall,
  frame: Frame,
  log: StepLog,
  leg: SecretLeg,
  attempt: number,
): Promise<Sent> {
  const path = frame.prefix + step.name;
  const planned = plannedFault(walk, step, attempt);
  if (planned) return { ...planned, pretended: "fault" };
  if (walk.rehearsal && leg.effect !== "reads")
    return { ...notSent(walk, step, frame, leg), pretended: "rehearsal" };
  const turn = await turnToSend(walk, step, frame, leg, path);
  if (turn === "skipped") return turn;
  const shown: ShownAuthorization[] = [];
  try {
    const sent = await authorizedSend(walk, step, frame, leg, attempt, turn, shown);
    const lost = lostResponse(walk, step, attempt);
    if (lost) throw lost;
    return sent;
  } catch (error) {
    turn.failed();
    if (error instanceof CredentialWaits) {
      const { credential: name, message: reason, seen } = error;
      const wait = { kind: "credential", name, reason, seen } as const;
      await walk.progress.sleepUntil(Number.POSITIVE_INFINITY, frame, path, wait);
    }
    if (error instanceof TransportFailure) return failed(walk, step, frame, leg, attempt, error, shown);
    if (error instanceof CredentialMissing || error instanceof SchemeFault)
      return walk.write.fail(frame, step, log, { code: "credential", message: error.message });
    if (error instanceof RequestRefused)
      return walk.write.fail(frame, step, log, { code: error.code, message: error.message });
    throw error;
  }
}

/** A leg, and what of its request is secret. */
export type SecretLeg = Leg & { secrets: SecretParts };

async function authorizedSend(
  walk: Walk,
  step: ReadyCall,
  frame: Frame,
  leg: SecretLeg,
  attempt: number,
  turn: Turn,
  shown: ShownAuthorization[],
): Promise<Exchanged & { use?: CredentialUse }> {
  const { request } = leg;
  const use = await usesOf(walk.ports.credentials, step.using ?? [], request.url);
  if (use) walk.write.secret(secretsOf(use.proof), []);
  if (leg.effect !== "reads") {
    walk.write.note({ type: "sending", path: frame.prefix + step.name, attempt, at: walk.ports.clock.now() });
    await walk.write.commit();
  }
  const stopping = step.stopWhen && new StopWhen(walk, step, frame);
  const keep = (bytes: Uint8Array, about: FileAbout): Promise<JsonObject> =>
    walk.ports.files.keep([bytes], { ...about, secret: walk.secrets.masks.foundInBytes(bytes) });
  const exchanged = await exchange({ ...walk.ports, files: { keep } }, request, use?.proof, {
    timeout: timeoutOf(walk, step, frame),
    signal: walk.progress.signals.cut,
    shown,
    secrets: leg.secrets,
    broken: true,
    follow: followOf(step, leg),
    ...(step.read ? { read: step.read } : {}),
    ...(stopping ? { enough: stopping.enough } : {}),
  });
  turn.answered(saidInBody(walk, step, frame, exchanged.response));
  const response = stopping?.fault
    ? { ...(exchanged.response as RecordedResponse), fault: stopping.fault }
    : exchanged.response;
  if (response) exchanged.response = response;
  // What broke off may be asked for again; of a call that writes, the status line is known, and that is its outcome.
  if (response?.broken === "cut" && isSafe(step, leg))
    throw new TransportFailure("cut", response.fault ?? "", true);
  return use ? { ...exchanged, use } : exchanged;
}

function followOf({ redirects }: ReadyCall, { effect }: Leg): ExchangeOptions["follow"] {
  if (redirects !== "follow") return redirects;
  return effect === "reads" ? "all" : "see-other";
}

/** A response with the wait that it asks for in its body as Retry-After: the rate limit learns from it. */
function saidInBody(
  walk: Walk,
  step: ReadyCall,
  frame: Frame,
  response: RecordedResponse | undefined,
): RecordedResponse | undefined {
  if (!response || (response.status !== 429 && response.status !== 503)) return response;
  if (!step.retry.after || response.headers["retry-after"] !== undefined) return response;
  const path = frame.prefix + step.name;
  const { status, headers, body } = response;
  const seen = { status, headers, body, failure: null, repeated: false };
  try {
    const millis = waitSaid(walk, step, frame, path, { at: walk.ports.clock.now(), response }, seen);
    return millis === undefined
      ? response
      : { ...response, headers: { ...headers, "retry-after": String(millis / 1_000) } };
  } catch (error) {
    // The attempt is judged by it, and says so.
    if (error instanceof StepFailed) return response;
    throw error;
  }
}

/** An attempt may take no longer than what is left of the time of the step around it. */
function timeoutOf(walk: Walk, step: ReadyCall, frame: Frame): ReadyCall["timeout"] {
  if (!frame.deadline) return step.timeout;
  const left = Math.max(1, frame.deadline.at - walk.ports.clock.now());
  return { connect: Math.min(step.timeout.connect, left), response: Math.min(step.timeout.response, left) };
}

async function failed(
  walk: Walk,
  step: ReadyCall,
  frame: Frame,
  leg: Leg,
  attempt: number,
  failure: TransportFailure,
  authorization: ShownAuthorization[],
): Promise<Sent> {
  const path = frame.prefix + step.name;
  if (failure.sent && !isSafe(step, leg)) {
    const reason = failure.aborted ? "Cut off while it was being sent." : failure.message;
    const added = {
      ...(failure.detail && !failure.aborted ? { detail: failure.detail } : {}),
      ...(authorization.length > 0 ? { authorization } : {}),
    };
    walk.write.note({ type: "unsure", path, attempt, at: walk.ports.clock.now(), reason, ...added });
    await walk.write.commit();
    if (failure.aborted) walk.progress.check(frame, path);
    return "unsure";
  }
  if (failure.aborted) walk.progress.check(frame, path);
  return { failure, sentAt: walk.ports.clock.now(), authorization, redirects: [] };
}

/** The entry of an attempt, with what is secret in its response found. */
export function attemptEntry(
  walk: Walk,
  step: ReadyCall,
  frame: Frame,
  log: StepLog,
  attempt: number,
  leg: Leg,
  sent: Exclude<Sent, string>,
): EntryOf<"attempt"> {
  const path = frame.prefix + step.name;
  const entry: EntryOf<"attempt"> = {
    type: "attempt",
    path,
    attempt,
    at: walk.ports.clock.now(),
    sentAt: sent.sentAt,
  };
  if (leg.number > 0) entry.leg = leg.number;
  if (sent.pretended) entry.pretended = sent.pretended;
  if (sent.authorization.length > 0) entry.authorization = sent.authorization;
  if (sent.redirects.length > 0) entry.redirects = sent.redirects;
  if (sent.failure) {
    const { kind, message, sent: begun, detail } = sent.failure;
    entry.failure = { kind, message, sent: begun, ...(detail ? { detail } : {}) };
    return entry;
  }
  if (!sent.response) return entry;
  entry.response = unchangedSince(walk, step, frame, entry.at, sent.response);
  const drift = sent.pretended ? [] : (step.described?.mismatches?.(sent.response) ?? []);
  if (drift.length > 0) entry.drift = drift;
  const masked: Path[] = responseSecrets(walk, entry.response.body, ["steps", step.name, "body"]).map(
    (place) => ["response", "body", ...place],
  );
  if (log.begun?.masked?.some((place) => place.at(-1) === "url")) {
    walk.write.secret([], [["steps", step.name, "url"]]);
    masked.push(["response", "url"]);
  }
  masked.push(...unchangedSecrets(walk, step, entry.response));
  const { body, text, headers } = entry.response;
  const seen = { body, headers: { ...headers }, ...(text === undefined ? {} : { text }) };
  if (text !== undefined) walk.write.secret(secretFormValues(text), []);
  masked.push(...statedSecrets(walk, step, seen).map((place) => ["response", ...place]));
  if (masked.length > 0) entry.masked = masked;
  return entry;
}
