import { isObject, own, setOwn, type Json, type JsonObject } from "../values/json.js";
import { journalFormat, type Entry } from "./entries.js";

/** Journals from this format on are read; a run with an older one, or with a newer one, is parked. */
export const oldestFormat = 1;

export function isReadable(format: number): boolean {
  return format >= oldestFormat && format <= journalFormat;
}

/**
 * An entry in the form that `journalFormat` has, whatever format it was written in: what is in that form already stays as
 * it is. The journal itself is never changed.
 */
export function currentEntry(entry: Entry): Entry {
  const from = (entry as { type: string }).type;
  return from in ofFormat1 ? (ofFormat1[from]?.(entry as unknown as JsonObject) as unknown as Entry) : entry;
}

/** Codes of errors that had other names in format 1. */
const codes1: Record<string, string> = {
  answer: "response",
  "bad-answer": "bad-response",
  "answer-too-large": "response-too-large",
  shape: "drift",
};

function renamed(entry: JsonObject, names: Record<string, string>): JsonObject {
  return Object.fromEntries(Object.entries(entry).map(([name, value]) => [names[name] ?? name, value]));
}

function withCode(entry: JsonObject): JsonObject {
  const error = own(entry, "error");
  const code = isObject(error) ? codes1[String(error["code"])] : undefined;
  return code === undefined ? entry : { ...entry, error: { ...(error as JsonObject), code } };
}

const parked = (state: Json | undefined): Json => (state === "held" ? "parked" : (state ?? null));

/** What format 1 wrote under these types, as format 2 writes it. */
const ofFormat1: Record<string, (entry: JsonObject) => JsonObject> = {
  started: (entry) => {
    const options = own(entry, "options");
    if (!isObject(options)) return entry;
    return { ...entry, options: renamed(options, { held: "fixed", samples: "responses" }) };
  },
  begun: (entry) => {
    const data = own(entry, "data");
    const made = { ...entry, kind: kind1(entry) };
    return isObject(data) && "kept" in data ? { ...made, data: renamed(data, { kept: "remembered" }) } : made;
  },
  attempt: (entry) => (entry["told"] === undefined ? entry : renamed(entry, { told: "asked" })),
  paced: (entry) => ({ ...entry, type: "limited" }),
  resumed: (entry) => ({ ...entry, type: "decided", decision: "continue" }),
  ended: (entry) => withCode({ ...entry, kind: kind1(entry) }),
  item: withCode,
  finished: (entry) => withCode({ ...entry, state: parked(entry["state"]) }),
  rested: (entry) => {
    const made: JsonObject = {};
    const waits: JsonObject[] = [];
    const path = own(entry, "path") ?? "";
    const reason = own(entry, "reason") ?? "";
    for (const [name, value] of Object.entries(entry)) {
      const kind = waits1[name];
      if (kind !== undefined) waits.push({ kind, name: value, path, reason });
      else setOwn(made, name, name === "state" ? parked(value) : value);
    }
    return waits.length > 0 ? { ...made, waits } : made;
  },
};

const waits1: Record<string, string> = {
  credential: "credential",
  lock: "lock",
  child: "run",
  breakpoint: "breakpoint",
  pace: "rate-limit",
};

function kind1(entry: JsonObject): Json {
  const kind = own(entry, "kind") ?? null;
  if (kind === "keep") return "remember";
  const outcome = own(entry, "outcome");
  if (kind !== "stop" || !isObject(outcome)) return kind;
  return outcome["as"] === "failed" ? "fail" : "finish";
}
