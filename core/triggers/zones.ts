import { Temporal } from "temporal-polyfill";

/** Whether the runtime knows a time zone of the IANA database. */
export function isZone(name: string): boolean {
  try {
    offsetAt(name, 0);
    return true;
  } catch {
    return false;
  }
}

/** How far the clocks of a zone are ahead of UTC at an instant; both in milliseconds. */
export function offsetAt(zone: string, at: number): number {
  if (zone === "UTC") return 0;
  return Temporal.Instant.fromEpochMilliseconds(at).toZonedDateTimeISO(zone).offsetNanoseconds / 1_000_000;
}

/** The first instant with the offset of `after`, where the clocks of a zone change once between two instants. */
export function changeBetween(zone: string, before: number, after: number): number {
  const offset = offsetAt(zone, after);
  let [low, high] = [before, after];
  while (high - low > 1) {
    const middle = Math.floor((low + high) / 2);
    if (offsetAt(zone, middle) === offset) high = middle;
    else low = middle;
  }
  return high;
}

const dayMillis = 86_400_000;

/**
 * The instants at which the clocks of a zone show a time, given as if it were UTC: one; two where the clocks go back; and
 * none where they go forward, when `gapEnd` is the first instant behind the gap.
 */
export function instantsOf(zone: string, wall: number): { at: number[]; gapEnd?: number } {
  const offsets = [...new Set([offsetAt(zone, wall - dayMillis), offsetAt(zone, wall + dayMillis)])];
  const at = offsets
    .map((offset) => ({ offset, instant: wall - offset }))
    .filter(({ offset, instant }) => offsetAt(zone, instant) === offset)
    .map(({ instant }) => instant)
    .sort((a, b) => a - b);
  if (at.length > 0) return { at };
  const [first = 0, second = 0] = offsets;
  return {
    at,
    gapEnd: changeBetween(zone, wall - Math.max(first, second), wall - Math.min(first, second)),
  };
}

/** The date that the clocks of a zone show, such as `2027-03-01`. */
export function dateIn(zone: string, at: number): string {
  return new Date(at + offsetAt(zone, at)).toISOString().slice(0, 10);
}

/** The instant at which a date begins in a zone. */
export function startOfDate(zone: string, date: string): number {
  const { at, gapEnd } = instantsOf(zone, Date.parse(`${date}T00:00:00Z`));
  return at[0] ?? gapEnd ?? 0;
}
