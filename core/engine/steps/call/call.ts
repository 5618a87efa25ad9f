import { finishedRequest } from "../../../http/multipart.js";
import { RequestRefused, type HttpRequest } from "../../../http/message.js";
import type { CallStep, ReadyCall } from "../../../workflows/steps.js";
import type { EntryOf, RecordedRequest } from "../../entries.js";
import type { StepLog } from "../../replayed.js";
import type { CredentialUse } from "../../ports.js";
import type { Frame } from "../../frame.js";
import type { Walk } from "../../walk.js";
import { evaluated, takeEnded } from "../ended.js";
import { outcomeOf } from "./outcome.js";
import type { Path } from "../../../values/paths.js";
import { readsOwnSecret, responseSecrets, secretItemPlaces, secretParts } from "../../secrets.js";
import { beginCall } from "./begin.js";
import { isSafe, legOf } from "./leg.js";
import { described } from "./operation.js";
import { judge, type Verdict } from "./judge.js";
import { attemptEntry, send } from "./send.js";
import { isRefusal } from "./using.js";
import { noteUnknown, resolveUnsure } from "./unsure.js";

/**
 * One call: rate limit → authorize → sending → send → read → success; then its further pages, or looks whether it is done.
 * Before each send of a call that writes, the journal durably holds that it is about to go; what cuts it from its
 * response leaves it unsure.
 */
export async function walkCall(walk: Walk, given: CallStep, frame: Frame, log: StepLog): Promise<void> {
  if (takeEnded(walk, given, frame, log, () => outcomeOf(log))) return;
  const step = await described(walk, given, frame, log);
  const path = frame.prefix + step.name;
  if (!log.begun) {
    walk.progress.check(frame, path);
    evaluated(walk, step, frame, log, () => beginCall(walk, step, frame, path));
  }
  const recorded = log.begun?.data["request"] as unknown as RecordedRequest;
  const first = isWhole(recorded) ? recorded : await finished(walk, step, frame, log, recorded);
  const secrets = secretParts(walk, log);
  for (;;) {
    const last = log.attempts.at(-1);
    const leg = refusable(walk, step, frame, log, () => legOf(log, step, first, secrets));
    if (log.lost && (log.unsure?.cause === "precondition" || !isSafe(step, leg))) {
      if (await resolveUnsure(walk, step, frame, log, path, leg.request, walkCall)) return;
    } else if (last && last.wait === undefined && !last.next && !log.lost) {
      return finish(walk, step, frame, log, path, last, judge(walk, step, frame, log, leg, last)); // judged before, and cut off from its end
    } else if (last?.wait !== undefined && !log.lost)
      await walk.progress.sleepUntil(last.at + last.wait, frame, path);
    walk.progress.check(frame, path);
    const attempt = log.sending + 1;
    const sent = await send(walk, step, frame, log, { ...leg, secrets }, attempt);
    if (sent === "unsure") continue;
    if (sent === "skipped") return skipped(walk, step, path);
    const entry = attemptEntry(walk, step, frame, log, attempt, leg, sent);
    if (sent.use && (await worthAnotherProof(sent.use, log, leg.number, entry))) {
      walk.write.note({ ...entry, wait: 0, renewed: true });
      await walk.write.flush();
      continue;
    }
    const verdict = judge(walk, step, frame, log, leg, entry);
    const { error, response, unknown, ...more } = verdict;
    if (unknown) {
      await noteUnknown(walk, entry, unknown, error?.message ?? "");
      continue;
    }
    const noted = {
      ...entry,
      ...(response ? { response } : {}),
      ...more,
      ...maskedMore(walk, step, entry, more),
    };
    walk.write.note(noted);
    if (verdict.wait === undefined && !verdict.next)
      return finish(walk, step, frame, log, path, noted, error ? { error } : {});
    await walk.write.flush();
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
  verdict: Pick<Verdict, "error">,
): Promise<void> {
  if (verdict.error) walk.write.fail(frame, step, log, verdict.error);
  walk.write.note({ type: "ended", path, kind: "request", at: last.at });
  walk.write.settle(frame, step, outcomeOf(log));
  return walk.write.flush();
}

/** Secrets in what asks for the next page, and in the items of this one: by the names of their fields, and where they were taken from secret places. */
function maskedMore(
  walk: Walk,
  step: ReadyCall,
  entry: EntryOf<"attempt">,
  { items, next }: Pick<Verdict, "items" | "next">,
): Pick<EntryOf<"attempt">, "masked"> {
  const asks = next && readsOwnSecret(walk, step, step.pages?.next);
  const asked: Path[] = asks ? [next.mark ? ["next", "mark", "value"] : ["next", "url"]] : [];
  if (!items) return {};
  const named = responseSecrets(walk, items, ["steps", step.name, "items"]).map((place) => [
    "items",
    ...place,
  ]);
  const list = step.pages?.items ?? step.until?.collect;
  const inItem = list
    ? secretItemPlaces(walk, list, {}, (path) => (path[0] === "body" ? ["steps", step.name, ...path] : path))
    : [];
  walk.write.secret(
    [],
    inItem.map((place) => ["steps", step.name, "items", "*", ...place]),
  );
  const masked = [
    ...(entry.masked ?? []),
    ...asked,
    ...named,
    ...inItem.map((place) => ["items", "*", ...place]),
  ];
  return masked.length > 0 ? { masked } : {};
}

function skipped(walk: Walk, step: ReadyCall, path: string): Promise<void> {
  const reason = `Skipped: the rate limit of ${step.operation?.api ?? "its API"} allows no call now.`;
  walk.write.note({ type: "ended", path, kind: "request", at: walk.ports.clock.now(), skipped: reason });
  return walk.write.flush();
}

/** Tells a credential how its use came out. After a refusal there is one extra attempt, where another proof can be had. */
async function worthAnotherProof(
  use: CredentialUse,
  log: StepLog,
  leg: number,
  { response }: EntryOf<"attempt">,
): Promise<boolean> {
  if (!response) return false;
  if (!isRefusal(use, response)) {
    if (response.status < 400) use.accepted();
    return false;
  }
  const renewed = log.attempts.some((attempt) => attempt.renewed && (attempt.leg ?? 0) === leg);
  return !renewed && (await use.refused());
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
    return await finishedRequest(recorded, (id) => walk.ports.files.open(id));
  } catch (error) {
    if (!(error instanceof RequestRefused)) throw error;
    return walk.write.fail(frame, step, log, { code: error.code, message: error.message, field: "body" });
  }
}

/** Turns a request that is not allowed into the failure of its step. */
function refusable<T>(walk: Walk, step: ReadyCall, frame: Frame, log: StepLog, run: () => T): T {
  try {
    return run();
  } catch (error) {
    if (!(error instanceof RequestRefused)) throw error;
    return walk.write.fail(frame, step, log, { code: "other-origin", message: error.message });
  }
}
