import { printForPeople } from "@copper-kettle/core";

const twoDigits = { hour: "2-digit", minute: "2-digit", second: "2-digit", hour12: false } as const;

/** A time as people read it in lists: the clock alone for today, with the day otherwise; in the browser's zone. */
export function when(iso: string | null): string {
  if (!iso) return "";
  const date = new Date(iso);
  const today = new Date().toDateString() === date.toDateString();
  const time = clock(iso);
  return today
    ? time
    : `${date.toLocaleDateString([], { year: "numeric", month: "short", day: "numeric" })} ${time}`;
}

/** The clock alone: for rows that stand below their day. */
export const clock = (iso: string): string => new Date(iso).toLocaleTimeString([], twoDigits);

/** The day of a time, in the browser's zone. */
export const dayOf = (iso: string): string =>
  new Date(iso).toLocaleDateString([], { weekday: "long", year: "numeric", month: "long", day: "numeric" });

/** A time in full, with its zone, for whoever looks closer. */
export function whenExactly(iso: string | null): string {
  if (!iso) return "";
  return new Date(iso).toLocaleString([], {
    ...twoDigits,
    weekday: "long",
    year: "numeric",
    month: "long",
    day: "numeric",
    timeZoneName: "longOffset",
  });
}

/** How far a time is from now, in words: `in 3 min`, `2 h ago`. */
export function fromNow(iso: string, now = Date.now()): string {
  const millis = Date.parse(iso) - now;
  const [size, unit] = units.find(([size]) => Math.abs(millis) >= size) ?? [1_000, "s"];
  const count = Math.round(Math.abs(millis) / size);
  return millis >= 0 ? `in ${count} ${unit}` : `${count} ${unit} ago`;
}
const units: readonly (readonly [number, string])[] = [
  [86_400_000, "d"],
  [3_600_000, "h"],
  [60_000, "min"],
  [1_000, "s"],
];

/** The zone that the browser's times are in. */
export const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;

export function took(run: { startedAt: string | null; endedAt: string | null }, now = Date.now()): string {
  if (!run.startedAt) return "";
  return printForPeople(
    Math.max(0, (run.endedAt ? Date.parse(run.endedAt) : now) - Date.parse(run.startedAt)),
  );
}
