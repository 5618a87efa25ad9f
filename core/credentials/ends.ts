import { printForPeople } from "../values/durations.js";

const dayMillis = 86_400_000;
/** How many days ahead of a credential's end people are warned. */
export const warningDays = [30, 7, 1] as const;

/** How near the end of a credential is. */
export interface EndWarning {
  /** The warning that holds now: this many days ahead, or 0 once it has ended. */
  days: 30 | 7 | 1 | 0;
  sentence: string;
}

/**
 * What to say about the end of a secret or certificate; undefined while it is more than 30 days away.
 * @param endsAt milliseconds since 1970
 * @param now milliseconds since 1970
 * @param what what ends: `certificate`, `secret`
 */
export function endWarning(endsAt: number, now: number, what: string): EndWarning | undefined {
  const left = endsAt - now;
  const day = new Date(endsAt).toISOString().slice(0, 10);
  if (left <= 0) return { days: 0, sentence: `Its ${what} expired on ${day}.` };
  const days = [...warningDays].reverse().find((count) => left <= count * dayMillis);
  if (days === undefined) return undefined;
  return {
    days,
    sentence: `Its ${what} expires on ${day}, in ${printForPeople(coarse(left))}. Get a new one before.`,
  };
}

/** Whole days; below two days, whole hours; below two hours, minutes. */
function coarse(millis: number): number {
  const unit = millis > 2 * dayMillis ? dayMillis : millis > 7_200_000 ? 3_600_000 : 60_000;
  return Math.max(unit, Math.floor(millis / unit) * unit);
}
