/**
 * How long an answer asks to wait, from its Retry-After field (RFC 9110 section 10.2.3): seconds, or an HTTP date.
 * @param now milliseconds since 1970
 * @returns milliseconds, never below 0; undefined where the field is missing or cannot be read
 */
export function retryAfter(value: string | string[] | undefined, now: number): number | undefined {
  const text = (Array.isArray(value) ? value[0] : value)?.trim();
  if (!text) return undefined;
  if (/^\d+(\.\d+)?$/.test(text)) return Math.ceil(Number(text) * 1000);
  const date = httpDate(text, now);
  return date === undefined ? undefined : Math.max(0, date - now);
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
