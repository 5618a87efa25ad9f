import { parseList } from "structured-headers";
/** Two clocks that differ by no more than this, in milliseconds, are taken for the same: Date has whole seconds. */
const sameTime = 2_000;

type Headers = { [name: string]: string | string[] | undefined };

/**
 * How long a response asks to wait, from its Retry-After field (RFC 9110 section 10.2.3): seconds, or an HTTP date. A date
 * is one of the API's clock, which its Date field tells where it is not the same as ours.
 * @param now milliseconds since 1970
 * @returns milliseconds, never below 0; undefined if the field is missing or cannot be read
 */
export function retryAfter(headers: Headers, now: number): number | undefined {
  const text = fieldOf(headers, "retry-after")?.trim();
  if (!text) return undefined;
  if (/^\d+(\.\d+)?$/.test(text)) return Math.ceil(Number(text) * 1000);
  const date = httpDate(text, now);
  if (date === undefined) return undefined;
  const far = httpDate(fieldOf(headers, "date") ?? "", now) ?? now;
  return Math.max(0, date - (Math.abs(far - now) > sameTime ? far : now));
}

function fieldOf(headers: Headers, name: string): string | undefined {
  const value = headers[name];
  return Array.isArray(value) ? value[0] : value;
}

const months = ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"];
const imfFixdate = /^[a-z]{3}, (\d{2}) ([a-z]{3}) (\d{4}) (\d{2}):(\d{2}):(\d{2}) GMT$/i;
const rfc850 = /^[a-z]+, (\d{2})-([a-z]{3})-(\d{2}) (\d{2}):(\d{2}):(\d{2}) GMT$/i;
const asctime = /^[a-z]{3} ([a-z]{3}) ([ \d]\d) (\d{2}):(\d{2}):(\d{2}) (\d{4})$/i;

/** Reads an HTTP date in any of the three forms of RFC 9110 section 5.6.7. Milliseconds since 1970. */
export function httpDate(text: string, now: number): number | undefined {
  const build = (day: string, month: string, year: number, clock: (string | undefined)[]) => {
    const index = months.indexOf(month.toLowerCase());
    return index < 0
      ? undefined
      : Date.UTC(year, index, Number(day), ...(clock.map(Number) as [number, number, number]));
  };
  let match = imfFixdate.exec(text);
  if (match) return build(match[1] as string, match[2] as string, Number(match[3]), match.slice(4, 7));
  match = rfc850.exec(text);
  if (match) {
    // A two-digit year more than 50 years ahead is one of the past century.
    const thisYear = new Date(now).getUTCFullYear();
    let year = Math.floor(thisYear / 100) * 100 + Number(match[3]);
    if (year > thisYear + 50) year -= 100;
    return build(match[1] as string, match[2] as string, year, match.slice(4, 7));
  }
  match = asctime.exec(text);
  if (match)
    return build((match[2] as string).trim(), match[1] as string, Number(match[6]), match.slice(3, 6));
  return undefined;
}

/** What a response says of the rate at which calls may come. Times in milliseconds. */
export interface RateTold {
  /** How many more calls may come before the reset. */
  remaining?: number;
  /** Until the reset, from now. */
  reset?: number;
  /** So many calls in so long a time. */
  limit?: { calls: number; per: number };
}

/**
 * Reads RateLimit and RateLimit-Policy (draft-ietf-httpapi-ratelimit-headers: structured fields with r, t, q and w),
 * the older RateLimit-Remaining and RateLimit-Reset, and the usual X-RateLimit-Remaining and X-RateLimit-Reset, whose
 * reset is in seconds from now or since 1970.
 * @param now milliseconds since 1970
 */
export function rateTold(headers: Headers, now: number): RateTold {
  const field = (name: string): string | undefined => fieldOf(headers, name);
  const told: RateTold = {};
  const items = structured(field("ratelimit"));
  // Of several windows the one that is nearest to its end counts.
  for (const item of items) {
    const [left, time] = [item["r"] ?? item["remaining"], item["t"] ?? item["reset"]];
    if (left === undefined || (told.remaining !== undefined && told.remaining <= left)) continue;
    told.remaining = left;
    if (time !== undefined) told.reset = time * 1000;
  }
  if (told.remaining === undefined) {
    const prefix = ["ratelimit-", "x-ratelimit-", "x-rate-limit-"].find((one) => field(`${one}remaining`));
    if (prefix) {
      told.remaining = numberOf(field(`${prefix}remaining`));
      const reset = numberOf(field(`${prefix}reset`));
      if (reset !== undefined) told.reset = reset > 1e9 ? Math.max(0, millisOf(reset) - now) : reset * 1000;
    }
  }
  const [policy] = structured(field("ratelimit-policy"))
    .filter((item) => item["q"] !== undefined && (item["w"] ?? 0) > 0)
    .sort((a, b) => rate(a) - rate(b));
  if (policy) told.limit = { calls: policy["q"] as number, per: (policy["w"] as number) * 1000 };
  return told;
}

function rate(item: Record<string, number>): number {
  return (item["q"] as number) / (item["w"] as number);
}

/** A point in time that may be in seconds or in milliseconds since 1970. */
function millisOf(time: number): number {
  return time > 1e12 ? time : time * 1000;
}

function numberOf(text: string | undefined): number | undefined {
  const value = Number(text);
  return text === undefined || text.trim() === "" || !Number.isFinite(value) || value < 0 ? undefined : value;
}

/** The numeric parameters of each item of a structured list (RFC 9651), also in the older form `limit=10, remaining=0`. */
function structured(text: string | undefined): Record<string, number>[] {
  if (!text) return [];
  try {
    return parseList(text).map(([, parameters]) =>
      Object.fromEntries(
        [...parameters].filter((pair): pair is [string, number] => typeof pair[1] === "number"),
      ),
    );
  } catch {
    const older = [...text.matchAll(/([a-z]+)\s*=\s*(\d+)/gi)];
    return [Object.fromEntries(older.map(([, name, value]) => [name, Number(value)]))];
  }
}
