import { Cron } from "croner";
import { sha256Hex } from "../values/digest.js";
import { changeBetween, dateIn, instantsOf, offsetAt, startOfDate } from "./zones.js";

/** When a schedule starts runs. Exactly one of `every` and `cron` is there. Times are milliseconds since 1970. */
export interface Schedule {
  /** Milliseconds from one beat to the next. */
  every?: number;
  /** Five or six fields: second (may be left out), minute, hour, day of month, month, day of week. */
  cron?: string;
  /** A time zone of the IANA database. */
  zone: string;
  from?: number;
  until?: number;
  /** Dates in the zone on which nothing starts, as `2027-12-24`. */
  except: readonly string[];
  /** A beat comes up to so many milliseconds later, by its name and its time. */
  jitter?: number;
  missed: "skip" | "once";
}

const hour = 3_600_000;
const dayMillis = 24 * hour;
/** So many beats are looked at before a schedule counts as one that never comes. */
const mostTries = 2_000;

/**
 * The next time of a schedule after an instant; undefined where there is none any more.
 * @param name what distinguishes the schedule from others with the same interval
 */
export function nextBeat(schedule: Schedule, after: number, name: string): number | undefined {
  const { zone, from, until, except } = schedule;
  let last = from === undefined ? after : Math.max(after, from - 1);
  for (let tries = 0; tries < mostTries; tries++) {
    const next =
      schedule.every === undefined
        ? nextOfCron(schedule.cron ?? "", zone, last)
        : nextOfEvery(schedule, schedule.every, last, name);
    if (next === undefined || (until !== undefined && next > until)) return undefined;
    const date = except.length > 0 ? dateIn(zone, next) : "";
    if (!except.includes(date)) return next;
    last = startOfDate(zone, dateIn(zone, startOfDate(zone, date) + dayMillis + 2 * hour)) - 1;
  }
  return undefined;
}

/** The next times of a schedule, at most so many. */
export function nextBeats(schedule: Schedule, after: number, name: string, most: number): number[] {
  const beats: number[] = [];
  for (let last = after; beats.length < most;) {
    const next = nextBeat(schedule, last, name);
    if (next === undefined) break;
    beats.push(next);
    last = next;
  }
  return beats;
}

/** When a beat is carried out: its time, and its jitter. */
export function dueAt({ jitter }: Schedule, beat: number, name: string): number {
  return jitter ? beat + (numberOf(`${name} ${beat}`) % jitter) : beat;
}

/** Whether a beat that is carried out at an instant is on time: within a minute, or half its interval. */
export function isOnTime(schedule: Schedule, beat: number, at: number, name: string): boolean {
  const next = schedule.every === undefined ? nextBeat(schedule, beat, name) : beat + schedule.every;
  const interval = next === undefined ? Number.POSITIVE_INFINITY : next - beat;
  return at - dueAt(schedule, beat, name) <= Math.min(60_000, interval / 2);
}

/** Elapsed time from the beginning; without one, from 1970 and a phase, so that many do not fall on one second. */
function nextOfEvery({ from }: Schedule, every: number, after: number, name: string): number {
  const begin = from ?? numberOf(name) % every;
  return after < begin ? begin : begin + (Math.floor((after - begin) / every) + 1) * every;
}

const numberOf = (text: string): number => parseInt(sha256Hex(text).slice(0, 12), 16);

const patterns = new Map<string, Cron>();

/**
 * A pattern as times on a clock that never changes. Day of month or day of week suffices, where both are given (POSIX,
 * crontab).
 * @throws Error where it is none
 */
export function patternOf(cron: string): Cron {
  let pattern = patterns.get(cron);
  if (!pattern) {
    pattern = new Cron(cron, { timezone: "UTC", paused: true });
    if (patterns.size >= 2_000) patterns.clear();
    patterns.set(cron, pattern);
  }
  return pattern;
}

function nextOfCron(cron: string, zone: string, after: number): number | undefined {
  const pattern = patternOf(cron);
  const next = (wall: number): number | undefined => pattern.nextRun(new Date(wall))?.getTime();
  const hours = cron.trim().split(/\s+/).at(-4) ?? "*";
  return /[*/?]/.test(hours) ? nextOfAnyHour(next, zone, after) : nextOfFixedHour(next, zone, after);
}

/** With fixed hours a time that comes twice counts once, and those that do not exist count once, behind the gap. */
function nextOfFixedHour(
  next: (wall: number) => number | undefined,
  zone: string,
  after: number,
): number | undefined {
  // What falls into a gap comes later than its own time.
  let wall: number | undefined = after + offsetAt(zone, after) - 3 * hour;
  for (let tries = 0; tries < 20_000; tries++) {
    wall = next(wall);
    if (wall === undefined) return undefined;
    const { at, gapEnd } = instantsOf(zone, wall);
    const instant = at[0] ?? gapEnd ?? 0;
    if (instant > after) return instant;
  }
  return undefined;
}

/** With a wildcard or a step every hour that there is counts, whatever the clocks call it. */
function nextOfAnyHour(
  next: (wall: number) => number | undefined,
  zone: string,
  after: number,
): number | undefined {
  const offset = offsetAt(zone, after);
  const wall = next(after + offset);
  if (wall === undefined) return undefined;
  const found = wall - offset;
  // A change up to there, or so near behind it that the time comes again or not at all.
  const edge = [found, found + 3 * hour].find((at) => offsetAt(zone, at) !== offset);
  if (edge === undefined) return found;
  const change = changeBetween(zone, after, edge);
  if (found < change) return found;
  const shifted = offsetAt(zone, change);
  const behind = next(change + shifted - 1);
  return behind === undefined ? undefined : behind - shifted;
}
