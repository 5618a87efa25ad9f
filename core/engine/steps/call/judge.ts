import type { ValueMap } from "../../../expressions/values.js";
import { isConditional } from "../../../http/conditional.js";
import { isGone, isOfGateway, nextWait, worthRepeating, type AttemptResult } from "../../../http/retry.js";
import { millisOf, printForPeople } from "../../../values/durations.js";
import { aKind, isObject, own, printJson, type Json } from "../../../values/json.js";
import { maskPlaces } from "../../../values/masking.js";
import type { ReadyCall } from "../../../workflows/steps.js";
import type { EntryOf, RecordedResponse, RunError, UnknownCause } from "../../entries.js";
import type { StepLog } from "../../replayed.js";
import { shownCall } from "../../secrets.js";
import { withItemsAt } from "../../page-body.js";
import { StepFailed } from "../../signals.js";
import type { Frame } from "../../frame.js";
import type { Walk } from "../../walk.js";
import { after, type After } from "./after.js";
import { attemptsOf, isSafe, type Leg } from "./leg.js";
import { statusText } from "./status-text.js";

/**
 * What follows from an attempt: a success (none of `error`, `wait` and `next`), a failure of the step, another attempt
 * after a wait, or another request.
 */
export interface Verdict extends After {
  error?: RunError;
  /** The response leaves open whether the call was carried out; `error` says what it was. */
  unknown?: UnknownCause;
  told?: boolean;
  /** The response as it is to be stored: of a page that others follow, without the body that its items were taken from. */
  response?: RecordedResponse;
}

/** Judges an attempt, in the journal or not yet: is it a success, and if not, is it worth another try? */
export function judge(
  walk: Walk,
  step: ReadyCall,
  frame: Frame,
  log: StepLog,
  leg: Leg,
  entry: EntryOf<"attempt">,
): Verdict {
  const path = frame.prefix + step.name;
  const result: AttemptResult = {
    status: entry.response?.status ?? 0,
    headers: entry.response?.headers ?? {},
    failure: entry.failure?.kind ?? null,
    sent: entry.failure?.sent ?? true,
  };
  const earlier = attemptsOf(log, leg.number).filter(
    (attempt) => attempt.attempt !== entry.attempt && !attempt.renewed,
  );
  const repeated =
    log.resent ||
    earlier.some(({ failure, response }) => failure?.sent || isOfGateway(response?.status ?? 0));
  // What a later response says is of that attempt: of one that got none before, nobody knows.
  const failed = (): RunError => {
    const error = failureOf(walk, step, log, entry, earlier.length);
    if (!repeated || leg.effect === "reads") return error;
    return {
      ...error,
      message: `${error.message} An earlier attempt got no response of the API, and may have been carried out.`,
    };
  };
  const ended = (): Verdict => {
    const unknown = unknownAfter(step, leg, result.status, repeated);
    return unknown
      ? { error: failureOf(walk, step, log, entry, earlier.length), unknown }
      : { error: failed() };
  };
  const { status, headers, failure } = result;
  const seen: ValueMap = { status, headers, failure, body: entry.response?.body ?? null, repeated };
  try {
    if (isSuccess(walk, step, frame, path, entry, seen, repeated))
      return step.pages || step.until ? goesOn(walk, step, frame, log, leg, entry) : {};
    if (!wantsRepeat(walk, step, frame, leg, entry, seen, result)) return ended();
  } catch (error) {
    if (error instanceof StepFailed) return { error: { ...error.error, ...facts(entry) } };
    throw error;
  }
  let said: number | undefined;
  try {
    said = waitSaid(walk, step, frame, path, entry, seen);
  } catch (error) {
    if (error instanceof StepFailed) return { error: { ...error.error, ...facts(entry) } };
    throw error;
  }
  const chance = walk.read.chance(path, entry.attempt);
  const next = nextWait(step.retry, earlier.length, result, chance, entry.at, said);
  if ("wait" in next) return next;
  if (next.giveUp === "spent") return ended();
  const error = failed();
  const asked = `The response asks to wait ${printForPeople(next.asked ?? 0)}, more than the ${printForPeople(step.retry.most)} that "retry.most" allows.`;
  return { error: { ...error, code: "told-to-wait", message: `${error.message} ${asked}` } };
}

/**
 * The wait that a response asks for in its body, in milliseconds; undefined if it asks for none.
 * @throws StepFailed where that is neither a number of seconds nor a duration
 */
export function waitSaid(
  walk: Walk,
  step: ReadyCall,
  frame: Frame,
  path: string,
  entry: Pick<EntryOf<"attempt">, "at" | "response">,
  seen: ValueMap,
): number | undefined {
  const { after: expression } = step.retry;
  if (!expression || !entry.response) return undefined;
  const value = walk.read.evaluate(expression, "retry.after", path, frame, entry.at, seen);
  if (value === null || value === "") return undefined;
  const millis = millisOf(value);
  if (millis !== undefined) return millis;
  throw new StepFailed({
    code: "bad-value",
    message: `"retry.after" gave ${aKind(value)}, which is neither a number of seconds nor a duration such as 20s.`,
    step: path,
    field: "retry.after",
  });
}

/** Whether a response that is not a success leaves open what became of a call that writes. */
function unknownAfter(
  step: ReadyCall,
  leg: Leg,
  status: number,
  repeated: boolean,
): UnknownCause | undefined {
  if (isOfGateway(status) && !isSafe(step, leg)) return "gateway";
  if (status !== 412 || !repeated || leg.effect === "reads" || step.ifUnsure === "repeat") return undefined;
  return isConditional(leg.request) ? "precondition" : undefined;
}

/** A success that other requests may follow. */
function goesOn(
  walk: Walk,
  step: ReadyCall,
  frame: Frame,
  log: StepLog,
  leg: Leg,
  entry: EntryOf<"attempt">,
): Verdict {
  const { itemsAt, ...result } = after(walk, step, frame, log, leg, entry);
  if (!result.items || !result.next || !entry.response || !itemsAt) return result;
  const { text: _text, ...response } = entry.response;
  return { ...result, itemsAt, response: { ...response, body: withItemsAt(response.body, itemsAt, []) } };
}

function isSuccess(
  walk: Walk,
  step: ReadyCall,
  frame: Frame,
  path: string,
  entry: EntryOf<"attempt">,
  seen: ValueMap,
  repeated: boolean,
): boolean {
  const response = entry.response;
  if (!response) return false;
  if (step.strict && entry.drift) return false;
  if (step.success) return walk.read.condition(step.success, "success", path, frame, entry.at, seen);
  if (step.method === "DELETE" && repeated && isGone(response.status)) return true;
  if (response.unchanged) return true;
  if (step.body?.kind === "graphql" && hasErrors(response.body)) return false;
  return response.status >= 200 && response.status <= 299 && response.fault === undefined;
}

/** GraphQL says errors in a response that counts as a success of HTTP (GraphQL specification, section 7.1). */
function hasErrors(body: Json): boolean {
  const errors = isObject(body) ? own(body, "errors") : undefined;
  return Array.isArray(errors) && errors.length > 0;
}

function wantsRepeat(
  walk: Walk,
  step: ReadyCall,
  frame: Frame,
  leg: Leg,
  entry: EntryOf<"attempt">,
  seen: ValueMap,
  result: AttemptResult,
): boolean {
  const path = frame.prefix + step.name;
  const { when, onlyWhen } = step.retry;
  if (onlyWhen) return walk.read.condition(onlyWhen, "retry.only-when", path, frame, entry.at, seen);
  if (worthRepeating(result, leg.effect, isSafe(step, leg))) return true;
  return when !== undefined && walk.read.condition(when, "retry.when", path, frame, entry.at, seen);
}

function failureOf(
  walk: Walk,
  step: ReadyCall,
  log: StepLog,
  entry: EntryOf<"attempt">,
  before: number,
): RunError {
  const request = log.begun?.data["request"] as { method: string; url: string } | undefined;
  const call = shownCall(walk, log, step, request ?? { method: step.method, url: "" });
  const tries = before === 0 ? "" : `, at the last of ${before + 1} attempts`;
  if (entry.failure) {
    return {
      code: entry.failure.kind,
      message: `No response from ${call}${tries}: ${entry.failure.message}`,
      ...facts(entry),
    };
  }
  const response = entry.response as NonNullable<typeof entry.response>;
  if (step.strict && entry.drift && response.status >= 200 && response.status <= 299) {
    const places = entry.drift.slice(0, 3).map(({ path, detail }) => `${path || "the body"}: ${detail}`);
    const more = entry.drift.length > 3 ? `; and ${entry.drift.length - 3} more` : "";
    return {
      code: "drift",
      message: `The response of ${call} does not match the documented schema. ${places.join("; ")}${more}.`,
      ...facts(entry),
    };
  }
  if (response.fault && response.status >= 200 && response.status <= 299) {
    const code = response.broken === "response-too-large" ? response.broken : "bad-response";
    return { code, message: `The response of ${call} cannot be used: ${response.fault}`, ...facts(entry) };
  }
  const special = specialFailure(step, response, call);
  if (special) return { ...special, ...facts(entry) };
  const said = excerpt(shownBody(entry));
  // A status that says what is wrong needs no condition beside it, which the file may not even have written.
  const { success, using } = step;
  const why = success && response.status < 400 ? `, and "success" (${success.text}) is not true` : "";
  const refused = response.status === 401 || response.status === 403;
  const proof = refused && using ? ` with the credential ${using.join(" and ")}` : "";
  return {
    code: "response",
    message: `${response.status}${statusText(response.status)} from ${call}${proof}${why}${tries}${said ? `: ${said}` : "."}`,
    ...facts(entry),
  };
}

/** A response that says more by its status than that it is not a success. */
function specialFailure(
  step: ReadyCall,
  response: RecordedResponse,
  call: string,
): Pick<RunError, "code" | "message"> | undefined {
  const { status, headers } = response;
  const begin = `${status}${statusText(status)} from ${call}`;
  const location = headers["location"];
  if (redirecting.has(status) && typeof location === "string") {
    const hint =
      step.effect === "reads" || step.redirects === "resend"
        ? "No further redirect was followed."
        : 'A call that writes is not sent again elsewhere. Put the new address there, or say "redirects: resend" if it may.';
    return {
      code: "redirected",
      message: `${begin}: the response leads to ${location.split(/[?#]/, 1)[0] ?? ""}. ${hint}`,
    };
  }
  const condition = step.conditions?.ifMatch;
  if (status === 412 && condition)
    return {
      code: "changed-since",
      message: `${begin}: the resource was changed since ${condition.text} read it. Read it again, then send the change.`,
    };
  return undefined;
}

const redirecting = new Set([301, 302, 303, 307, 308]);

function facts(entry: EntryOf<"attempt">): Partial<RunError> {
  return entry.response ? { status: entry.response.status, body: shownBody(entry) } : {};
}

/** The body as an error carries it about, to wherever it is caught: without secrets that only their place tells. */
function shownBody({ response, masked = [] }: EntryOf<"attempt">): Json {
  const places = masked.flatMap((place) =>
    place[0] === "response" && place[1] === "body" ? [place.slice(2)] : [],
  );
  return maskPlaces(response?.body ?? null, places);
}

function excerpt(body: Json): string {
  if (body === null) return "";
  const text = (typeof body === "string" ? body : printJson(body)).replace(/\s+/g, " ").trim();
  return text.length > 300 ? `${text.slice(0, 300)}…` : text;
}
