import { nextBeat, patternOf, type Schedule } from "../triggers/schedule.js";
import { isZone, startOfDate } from "../triggers/zones.js";
import { isObject, type Json, type JsonObject } from "../values/json.js";
import type { Path } from "../values/paths.js";
import type { TriggerKind } from "./document-triggers.js";
import { anything, type Shape } from "../shapes/shape.js";
import type { Preparer } from "./prepare.js";
import { innerCall } from "./prepare-call.js";
import { optional, retainKeysOf, texts, values } from "./prepare-values.js";
import { prepareWebhook } from "./prepare-webhook.js";
import type { ReadyTrigger, TriggerBase } from "./triggers.js";

const dayMillis = 86_400_000;

/** Prepares one trigger whose fields have the right shape. Undefined if a part of it is at fault (and reported). */
export function prepareTrigger(
  preparer: Preparer,
  kind: TriggerKind,
  raw: JsonObject,
  path: Path,
): ReadyTrigger | undefined {
  const { expect } = raw;
  const fetch = innerCall(preparer, raw["fetch"], [...path, "fetch"], "fetch");
  if (fetch?.effect !== undefined && fetch.effect !== "reads")
    preparer.source.report([...path, "fetch"], "trigger", "What fetches only reads, but this call writes.");
  const base: TriggerBase = {
    line: preparer.source.line(path),
    ...texts(raw, ["title", "was"]),
    ...optional("onlyIf", preparer.expression(raw["only-if"], [...path, "only-if"])),
    ...values(preparer, raw, path, ["inputs"]),
    ...optional("fetch", fetch),
    ...optional("oneAtATime", values(preparer, raw, path, ["one-at-a-time"])["one-at-a-time"]),
    ...(raw["latest-only"] === true ? { latestOnly: true } : {}),
    ...(typeof raw["parallel"] === "number" ? { parallel: raw["parallel"] } : {}),
    whenBusy: raw["when-busy"] === "skip" ? "skip" : "queue",
    ...optional(
      "successWithin",
      isObject(expect)
        ? preparer.duration(expect["success-within"], [...path, "expect", "success-within"])
        : undefined,
    ),
  };
  if (kind === "by-hand" && isObject(expect))
    preparer.source.report(
      [...path, "expect"],
      "trigger",
      "People start runs by hand, so nothing can be expected of that.",
    );
  for (const [key, needs] of [
    ["latest-only", "one-at-a-time"],
    ["when-busy", "parallel"],
  ] as const)
    if (raw[key] !== undefined && raw[needs] === undefined)
      preparer.source.report([...path, key], "trigger", `"${key}" says something only beside "${needs}".`);
  const own = raw[kind];
  return isObject(own) ? kinds[kind](preparer, own, [...path, kind], base, raw) : undefined;
}

type Prepare = (
  preparer: Preparer,
  own: JsonObject,
  path: Path,
  base: TriggerBase,
  raw: JsonObject,
) => ReadyTrigger | undefined;

const kinds: Record<TriggerKind, Prepare> = {
  "by-hand": (preparer, own, path, base) => ({
    ...base,
    kind: "by-hand",
    examples: listOf(own["examples"]).map((example, index) => ({
      name: String(example["name"]),
      inputs: isObject(example["inputs"]) ? example["inputs"] : {},
      ...optional(
        "expect",
        preparer.afterRun(() =>
          preparer.expression(example["expect"], [...path, "examples", index, "expect"]),
        ),
      ),
    })),
  }),
  schedule: prepareSchedule,
  webhook: prepareWebhook,
  poll: preparePoll,
};

const listOf = (value: Json | undefined): JsonObject[] =>
  (Array.isArray(value) ? value : []).filter(isObject);

function prepareSchedule(
  preparer: Preparer,
  own: JsonObject,
  path: Path,
  base: TriggerBase,
): ReadyTrigger | undefined {
  const { source } = preparer;
  const fault = (key: string, message: string): void => source.report([...path, key], "schedule", message);
  const zone = typeof own["zone"] === "string" ? own["zone"] : "UTC";
  if (!isZone(zone)) return void fault("zone", `"${zone}" is not a time zone, such as Europe/Vienna.`);
  const every = preparer.duration(own["every"], [...path, "every"]);
  const jitter = preparer.duration(own["jitter"], [...path, "jitter"]);
  const cron = typeof own["cron"] === "string" ? own["cron"].trim() : undefined;
  if ((own["every"] === undefined) === (cron === undefined))
    return void source.report(path, "schedule", 'A schedule has either "every" or "cron".');
  if (every !== undefined && every < 1_000) return void fault("every", '"every" must be at least 1s.');
  if (cron !== undefined && !isCron(cron, (message) => fault("cron", message))) return undefined;
  if (own["every"] !== undefined && every === undefined) return undefined;
  const edge = (key: "from" | "until"): number | undefined => {
    const text = own[key];
    if (typeof text !== "string") return undefined;
    const at = instantOf(text, zone, key);
    if (at === undefined)
      fault(key, `"${text}" is neither a date such as 2027-05-01 nor a time such as 2027-05-01T06:00:00Z.`);
    return at;
  };
  const [from, until] = [edge("from"), edge("until")];
  const dates = own["except"];
  const except = Array.isArray(dates) ? dates.map(String) : [];
  except.forEach((date, index) => {
    if (!isDate(date))
      source.report([...path, "except", index], "schedule", `"${date}" is not a date such as 2027-12-24.`);
  });
  const schedule: Schedule = {
    ...optional("every", every),
    ...optional("cron", cron),
    zone,
    ...optional("from", from),
    ...optional("until", until),
    except,
    ...optional("jitter", jitter),
    missed: own["missed"] === "once" ? "once" : "skip",
  };
  const first = nextBeat(schedule, from ?? 0, "");
  if (first === undefined) {
    source.report(path, "schedule", "This schedule never comes.");
    return undefined;
  }
  const second = nextBeat(schedule, first, "");
  if (jitter !== undefined && second !== undefined && jitter >= (second - first) / 2)
    fault("jitter", '"jitter" must be less than half of the time between two beats.');
  return {
    ...base,
    kind: "schedule",
    schedule,
    ...(typeof dates === "string"
      ? optional("exceptFrom", preparer.template(dates, [...path, "except"]))
      : {}),
  };
}

function isCron(cron: string, fault: (message: string) => void): boolean {
  const fields = cron.split(/\s+/).length;
  if (fields !== 5 && fields !== 6) {
    fault(
      `A cron pattern has five fields (minute, hour, day, month, day of week), or six with the second first; this one has ${fields}.`,
    );
    return false;
  }
  try {
    patternOf(cron);
    return true;
  } catch (error) {
    fault(`"${cron}" is not a cron pattern: ${(error as Error).message.replace(/^CronPattern: /, "")}.`);
    return false;
  }
}

const isDate = (text: string): boolean =>
  /^\d{4}-\d\d-\d\d$/.test(text) && !Number.isNaN(Date.parse(`${text}T00:00:00Z`));

/** A date is its beginning in the zone, or, for the last day, its end. */
function instantOf(text: string, zone: string, edge: "from" | "until"): number | undefined {
  if (isDate(text)) {
    if (edge === "from") return startOfDate(zone, text);
    const next = new Date(Date.parse(`${text}T00:00:00Z`) + dayMillis).toISOString().slice(0, 10);
    return startOfDate(zone, next) - 1;
  }
  const at = /^\d{4}-\d\d-\d\dT.*(Z|[+-]\d\d:\d\d)$/i.test(text) ? Date.parse(text) : Number.NaN;
  return Number.isNaN(at) ? undefined : at;
}

function preparePoll(
  preparer: Preparer,
  own: JsonObject,
  path: Path,
  base: TriggerBase,
  raw: JsonObject,
): ReadyTrigger | undefined {
  const { source } = preparer;
  const every = preparer.duration(own["every"], [...path, "every"]);
  if (every !== undefined && every < 1_000)
    return void source.report([...path, "every"], "poll", '"every" must be at least 1s.');
  // `mark` is in scope of the call where the poll has one.
  const names: Record<string, Shape> = own["mark"] === undefined ? {} : { mark: anything };
  const call = preparer.within(names, () => innerCall(preparer, own, path, "look"));
  if (call?.effect !== undefined && call.effect !== "reads")
    source.report([...path, "request"], "poll", "A poll only reads, but this call writes.");
  const seen = ["status", "headers", "body", "items"];
  const of = (key: string, more: string[]) => preparer.expression(own[key], [...path, key], more);
  const mark = own["mark"];
  const value = isObject(mark)
    ? preparer.expression(mark["value"], [...path, "mark", "value"], seen)
    : undefined;
  const overlap = isObject(mark)
    ? preparer.duration(mark["overlap"], [...path, "mark", "overlap"])
    : undefined;
  const first = own["first"];
  const { since } = isObject(first) ? values(preparer, first, [...path, "first"], ["since"]) : {};
  if (since && mark === undefined)
    source.report([...path, "first"], "poll", '"since" says where "mark" begins, but this poll has none.');
  if (own["gone"] === true && mark !== undefined)
    source.report(
      [...path, "gone"],
      "poll",
      "A look from a mark on does not read everything, so it cannot tell what is gone.",
    );
  if (own["gone"] === true && own["id-of"] === undefined)
    source.report([...path, "gone"], "poll", 'What is gone is told by its id: "id-of" is missing.');
  if (!call || every === undefined) return undefined;
  return {
    ...base,
    kind: "poll",
    call,
    every,
    ...optional("items", of("items", seen)),
    ...optional("idOf", of("id-of", ["item"])),
    ...optional("changed", of("changed", ["item"])),
    ...optional("ignore", of("ignore", ["item"])),
    first: since ? { since } : own["first"] === "all" ? "all" : "skip",
    gone: own["gone"] === true,
    ...optional("retainKeys", retainKeysOf(preparer, raw, path)),
    each: own["one-run-each"] === "batch" ? "batch" : "item",
    most: typeof own["most"] === "number" ? own["most"] : 100,
    ...(isObject(mark) && value
      ? { mark: { value, kind: mark["kind"] as "time" | "number" | "text", overlap: overlap ?? 0 } }
      : {}),
  };
}
