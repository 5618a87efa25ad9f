import { Temporal } from "temporal-polyfill";
import { Timestamp } from "../values.js";
import { CallFailure } from "./entry.js";

export type Zoned = Temporal.ZonedDateTime;

/** The name of a zone as the calendar knows it; UTC where none is given. */
export function zoneName(zone: string | undefined, argument: number): string {
  if (zone === undefined) return "UTC";
  const name = /^\d\d:\d\d$/.test(zone) ? `+${zone}` : zone;
  try {
    Temporal.Instant.fromEpochMilliseconds(0).toZonedDateTimeISO(name);
    return name;
  } catch {
    throw new CallFailure(
      "bad-value",
      `"${zone.slice(0, 60)}" is not a time zone, such as Europe/Vienna or +02:00.`,
      argument,
    );
  }
}

/** The letters of a date format; each stands for a part of a time. */
const letters: Record<string, { print: (value: Zoned) => string; pattern: string; part?: string }> = {
  yyyy: { print: (value) => four(value.year), pattern: "(\\d{4})", part: "year" },
  yy: { print: (value) => two(value.year % 100), pattern: "(\\d{2})", part: "shortYear" },
  MMMM: { print: (value) => months[value.month - 1] as string, pattern: "([A-Za-z]+)", part: "monthName" },
  MMM: {
    print: (value) => (months[value.month - 1] as string).slice(0, 3),
    pattern: "([A-Za-z]+)",
    part: "monthName",
  },
  MM: { print: (value) => two(value.month), pattern: "(\\d{2})", part: "month" },
  M: { print: (value) => String(value.month), pattern: "(\\d{1,2})", part: "month" },
  dd: { print: (value) => two(value.day), pattern: "(\\d{2})", part: "day" },
  d: { print: (value) => String(value.day), pattern: "(\\d{1,2})", part: "day" },
  EEEE: { print: (value) => days[value.dayOfWeek - 1] as string, pattern: "[A-Za-z]+" },
  EEE: { print: (value) => (days[value.dayOfWeek - 1] as string).slice(0, 3), pattern: "[A-Za-z]+" },
  HH: { print: (value) => two(value.hour), pattern: "(\\d{2})", part: "hour" },
  H: { print: (value) => String(value.hour), pattern: "(\\d{1,2})", part: "hour" },
  hh: { print: (value) => two(value.hour % 12 || 12), pattern: "(\\d{2})", part: "halfHour" },
  h: { print: (value) => String(value.hour % 12 || 12), pattern: "(\\d{1,2})", part: "halfHour" },
  mm: { print: (value) => two(value.minute), pattern: "(\\d{2})", part: "minute" },
  ss: { print: (value) => two(value.second), pattern: "(\\d{2})", part: "second" },
  SSS: {
    print: (value) => String(value.millisecond).padStart(3, "0"),
    pattern: "(\\d{3})",
    part: "millisecond",
  },
  a: { print: (value) => (value.hour < 12 ? "AM" : "PM"), pattern: "([AaPp][Mm])", part: "half" },
  XXX: { print: (value) => value.offset, pattern: "(Z|[+-]\\d{2}:?\\d{2})", part: "offset" },
};
const months = "January February March April May June July August September October November December".split(
  " ",
);
const days = "Monday Tuesday Wednesday Thursday Friday Saturday Sunday".split(" ");
const two = (value: number) => String(value).padStart(2, "0");
const four = (value: number) => String(value).padStart(4, "0");

/** A format as its parts: letters with a meaning, and texts (in single quotes, or what is not a letter). */
function formatParts(format: string): ({ text: string } | { letter: string })[] {
  const parts: ({ text: string } | { letter: string })[] = [];
  for (const [piece] of format.matchAll(/'(?:[^']|'')*'|([A-Za-z])\1*|[^A-Za-z']+|'/g)) {
    if (piece.startsWith("'"))
      parts.push({ text: piece === "''" ? "'" : piece.slice(1, -1).replaceAll("''", "'") });
    else if (!/^[A-Za-z]/.test(piece)) parts.push({ text: piece });
    else if (letters[piece]) parts.push({ letter: piece });
    else
      throw new CallFailure(
        "bad-value",
        `"${piece}" means nothing in a format; there are ${Object.keys(letters).join(" ")}, and text in 'quotes'.`,
        1,
      );
  }
  return parts;
}

/** A time as text in a form. */
export function printed(value: Zoned, format: string): string {
  return formatParts(format)
    .map((part) =>
      "text" in part ? part.text : (letters[part.letter] as { print: (value: Zoned) => string }).print(value),
    )
    .join("");
}

/** A form with more characters than this is none that a person wrote. */
const longestForm = 200;

/** A time from text in a form; in a zone, where the form has no offset. */
export function parsed(source: string, format: string, zone: string | undefined): Timestamp {
  if (format.length > longestForm)
    throw new CallFailure("bad-value", `a form has at most ${longestForm} characters.`, 1);
  const parts = formatParts(format);
  if (!parts.some((part) => "letter" in part && letters[part.letter]?.part?.match(/year/i)))
    throw new CallFailure(
      "bad-value",
      `the form "${format}" has no year; put one before the text: date.parse("2027 " + …, "yyyy ${format}").`,
      1,
    );
  const names: string[] = [];
  const expected = parts.map((part) => {
    if ("text" in part) return part.text.replace(/[\\^$.*+?()[\]{}|/-]/g, "\\$&").replace(/ +/g, "\\s+");
    const { pattern, part: name } = letters[part.letter] as { pattern: string; part?: string };
    if (name) names.push(name);
    return pattern;
  });
  // The pattern is made of fixed pieces without nested repetition; the text is bounded.
  const match = new RegExp(`^\\s*${expected.join("")}\\s*$`).exec(source.slice(0, 200));
  const fault = () =>
    new CallFailure("bad-value", `"${source.slice(0, 60)}" is not a time in the form ${format}.`, 0);
  if (!match) throw fault();
  const found = Object.fromEntries(names.map((name, index) => [name, match[index + 1] as string]));
  const number = (name: string, otherwise: number) =>
    found[name] === undefined ? otherwise : Number(found[name]);
  const named =
    found["monthName"] === undefined
      ? -1
      : months.findIndex(
          (month) => month.slice(0, 3).toLowerCase() === found["monthName"]?.slice(0, 3).toLowerCase(),
        );
  if (found["monthName"] !== undefined && named < 0) throw fault();
  const afternoon = found["half"]?.toLowerCase() === "pm" ? 12 : 0;
  const hour =
    found["halfHour"] === undefined ? number("hour", 0) : (number("halfHour", 12) % 12) + afternoon;
  const offset = found["offset"];
  const timeZone =
    offset === undefined
      ? zoneName(zone, 2)
      : offset === "Z"
        ? "UTC"
        : offset.replace(/^([+-]\d\d):?(\d\d)$/, "$1:$2");
  try {
    const made = Temporal.ZonedDateTime.from(
      {
        timeZone,
        year: found["shortYear"] === undefined ? number("year", 1970) : 2000 + number("shortYear", 0),
        month: named >= 0 ? named + 1 : number("month", 1),
        day: number("day", 1),
        hour,
        minute: number("minute", 0),
        second: number("second", 0),
        millisecond: number("millisecond", 0),
      },
      { overflow: "reject" },
    );
    return new Timestamp(made.epochMilliseconds);
  } catch {
    throw fault();
  }
}
