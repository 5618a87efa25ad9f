import { isObject, own, parseJson, printJson, type Json } from "../values/json.js";
import { printPath, type Path } from "../values/paths.js";
import { bodyOfAttempt } from "./page-body.js";
import type { Entry, EntryOf } from "./entries.js";

/** One place at which two runs differ. Undefined if a run has nothing there. */
export interface Difference {
  /** `request.url`, `response.body.items[0]`, `outcome.id` and so on. */
  place: string;
  first: Json | undefined;
  second: Json | undefined;
}

/** One step of two runs, side by side. */
export interface ComparedStep {
  path: string;
  /** How it ended in each: `succeeded`, `failed`, `skipped`, `not sent` (by a rehearsal), `not ended`; undefined if it did not begin. */
  first: string | undefined;
  second: string | undefined;
  /** Milliseconds from its beginning to its end; null if it has none. */
  took: [number | null, number | null];
  attempts: [number, number];
  differences: Difference[];
}

/** So many differences of a step are reported. */
const mostDifferences = 50;

interface Told {
  began: number;
  ended: number | undefined;
  state: string;
  attempts: number;
  /** Its call was not sent: the run is a rehearsal. */
  isHeldBack?: boolean;
  seen: { [part: string]: Json };
}

/** Compares two runs step by step, by their open entries: values, the path that was taken, and times. */
export function compareRuns(first: Iterable<Entry>, second: Iterable<Entry>): ComparedStep[] {
  const [one, other] = [told(first), told(second)];
  return inOrder([...one.keys()], [...other.keys()]).map((path) => {
    const [a, b] = [one.get(path), other.get(path)];
    return {
      path,
      first: a?.state,
      second: b?.state,
      took: [tookOf(a), tookOf(b)],
      attempts: [a?.attempts ?? 0, b?.attempts ?? 0],
      differences: a && b ? differences(a.seen, b.seen) : [],
    };
  });
}

/** All paths of both runs; one that only the second has stands behind the one that came before it there. */
function inOrder(first: string[], second: string[]): string[] {
  const known = new Set(first);
  const behind = new Map<string | undefined, string[]>();
  let before: string | undefined;
  for (const path of second) {
    const there = behind.get(before);
    if (known.has(path)) before = path;
    else if (there) there.push(path);
    else behind.set(before, [path]);
  }
  return [...(behind.get(undefined) ?? []), ...first.flatMap((path) => [path, ...(behind.get(path) ?? [])])];
}

function tookOf(step: Told | undefined): number | null {
  return step?.ended === undefined ? null : step.ended - step.began;
}

function told(entries: Iterable<Entry>): Map<string, Told> {
  const steps = new Map<string, Told>();
  const at = (path: string, time: number): Told => {
    let step = steps.get(path);
    if (!step)
      steps.set(path, (step = { began: time, ended: undefined, state: "not ended", attempts: 0, seen: {} }));
    return step;
  };
  for (const entry of entries) {
    if (entry.type === "started") at("", entry.at).seen["inputs"] = entry.inputs;
    else if (entry.type === "begun") {
      const { request, ...data } = entry.data;
      const step = at(entry.path, entry.at);
      if (request !== undefined) step.seen["request"] = comparable(request);
      else if (Object.keys(data).length > 0) step.seen["begun"] = data;
    } else if (entry.type === "attempt") {
      const step = at(entry.path, entry.sentAt);
      if (entry.pretended === "rehearsal") {
        step.isHeldBack = true;
        continue;
      }
      step.attempts++;
      step.seen["response"] = entry.response
        ? { status: entry.response.status, body: bodyOfAttempt(entry) }
        : { failure: entry.failure?.kind ?? null };
    } else if (entry.type === "ended") {
      const step = at(entry.path, entry.at);
      step.ended = entry.at;
      step.state = stateOf(entry, step);
      // What a call that was not sent gives is an example, and no outcome.
      if (entry.outcome !== undefined && !step.isHeldBack) step.seen["outcome"] = entry.outcome;
      if (entry.error) step.seen["error"] = { code: entry.error.code, message: entry.error.message };
    } else if (entry.type === "finished") {
      const step = at("", entry.at);
      step.ended = entry.at;
      step.state = entry.state;
    }
  }
  return steps;
}

function stateOf(entry: EntryOf<"ended">, { isHeldBack = false }: Told): string {
  if (entry.error) return "failed";
  if (entry.skipped !== undefined) return "skipped";
  return isHeldBack ? "not sent" : "succeeded";
}

/** A request as it is compared: a body that is JSON by its values, and not as one text. */
function comparable(request: Json): Json {
  if (!isObject(request)) return request;
  const body = own(request, "body");
  if (typeof body !== "string" || !/^\s*[[{]/.test(body)) return request;
  try {
    return { ...request, body: parseJson(body) };
  } catch {
    return request;
  }
}

function differences(first: { [part: string]: Json }, second: { [part: string]: Json }): Difference[] {
  const found: Difference[] = [];
  const compare = (a: Json | undefined, b: Json | undefined, place: Path): void => {
    if (found.length >= mostDifferences || a === b) return;
    if (a !== undefined && b !== undefined && printJson(a) === printJson(b)) return;
    if (Array.isArray(a) && Array.isArray(b)) {
      for (let index = 0; index < Math.max(a.length, b.length); index++)
        compare(a[index], b[index], [...place, index]);
    } else if (isObject(a) && isObject(b)) {
      for (const key of new Set([...Object.keys(a), ...Object.keys(b)]))
        compare(own(a, key), own(b, key), [...place, key]);
    } else found.push({ place: printPath(place), first: a, second: b });
  };
  for (const part of new Set([...Object.keys(first), ...Object.keys(second)]))
    compare(own(first, part), own(second, part), [part]);
  return found;
}
