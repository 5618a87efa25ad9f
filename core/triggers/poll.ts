import { finished } from "../values/in-steps.js";
import type { Json } from "../values/json.js";

/** A mark as it is stored: of a time milliseconds since 1970. */
export type Mark = number | string;

type MarkKind = "time" | "number" | "text";

/**
 * How far a read has come: the greatest of what it gave, and never less than before.
 * @param found a value, or a list of them; null and what is not of the kind do not count
 */
export function nextMark(kind: MarkKind, before: Mark | undefined, found: Json): Mark | undefined {
  let greatest = before;
  for (const one of Array.isArray(found) ? found : [found]) {
    const mark = markOf(kind, one);
    if (mark !== undefined && (greatest === undefined || mark > greatest)) greatest = mark;
  }
  return greatest;
}

function markOf(kind: MarkKind, value: Json): Mark | undefined {
  if (kind === "text") return typeof value === "string" ? value : undefined;
  if (kind === "number") return typeof value === "number" ? value : undefined;
  if (typeof value !== "string") return undefined;
  const at = Date.parse(value);
  return Number.isNaN(at) ? undefined : at;
}

/** How many items may be gone at once without anybody being asked: one, or a tenth of those that were known. */
export function isPlausiblyGone(gone: number, known: number, read: number): boolean {
  return gone === 0 || (read > 0 && (gone === 1 || gone <= known / 10));
}

/** What a call gets as `mark`: of a time so much less as may come late, in RFC 3339; null before the first read. */
export function askedMark(kind: MarkKind, mark: Mark | undefined, overlap: number): Json {
  if (mark === undefined) return null;
  return kind === "time" ? new Date(Number(mark) - overlap).toISOString() : mark;
}

/** An item of a read: what tells it from others, and what makes it count again. */
export interface ReadItem {
  id: string;
  changed: string | null;
  item: Json;
}

/** What a read brought that starts runs, in its order, and how it differs from what was known. */
export interface Difference<T extends ReadItem> {
  /** `known`: whether its id was, with something else in it. */
  fresh: (T & { known: boolean })[];
  /** Ids that are known and were not read. */
  absent: string[];
}

/** Compares a read with what was known: an id that comes twice counts once, as it was first. */
export function differenceOf<T extends ReadItem>(
  read: readonly T[],
  known: ReadonlyMap<string, { changed: string | null }>,
): Difference<T> {
  return finished(differenceInSteps(read, known));
}

/** The same, with a pause behind each item. */
export function* differenceInSteps<T extends ReadItem>(
  read: readonly T[],
  known: ReadonlyMap<string, { changed: string | null }>,
): Generator<undefined, Difference<T>, undefined> {
  const seen = new Set<string>();
  const fresh: Difference<T>["fresh"] = [];
  for (const one of read) {
    yield;
    if (seen.has(one.id)) continue;
    seen.add(one.id);
    const before = known.get(one.id);
    const isKnown = before !== undefined;
    if (!isKnown || (one.changed !== null && before.changed !== one.changed))
      fresh.push({ ...one, known: isKnown });
  }
  const absent: string[] = [];
  for (const id of known.keys()) {
    if (!seen.has(id)) absent.push(id);
    yield;
  }
  return { fresh, absent };
}
