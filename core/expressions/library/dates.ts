import { Temporal } from "temporal-polyfill";
import { Duration, Timestamp } from "../values.js";
import { CallFailure, type FunctionEntry } from "./entry.js";
import { define, maybe, text, time } from "./define.js";

type Zoned = Temporal.ZonedDateTime;

/** A time in a zone: an IANA name, or an offset such as +05:30 or 02:00; UTC where none is given. */
function zoned(value: Timestamp, zone: string | undefined, argument = 1): Zoned {
  const instant = Temporal.Instant.fromEpochMilliseconds(Math.trunc(value.millis));
  return instant.toZonedDateTimeISO(zoneName(zone, argument));
}

function zoneName(zone: string | undefined, argument: number): string {
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

function selector(
  name: string,
  help: string,
  examples: FunctionEntry["examples"],
  select: (value: Zoned) => number,
): FunctionEntry {
  return define(
    name,
    "method",
    [time(), maybe(text("zone"))],
    "number",
    help,
    examples,
    ([value, zone]: [Timestamp, string | undefined]) => select(zoned(value, zone)),
  );
}

/** Of a time its part in a zone, of a duration the whole number of them. */
function clock(
  name: string,
  what: string,
  millis: number,
  examples: FunctionEntry["examples"],
  select: (value: Zoned) => number,
): FunctionEntry {
  return define(
    name,
    "method",
    [{ name: "value", kinds: ["timestamp", "duration"] }, maybe(text("zone"))],
    "number",
    `Of a time the ${what} in a zone (UTC), of a duration all its ${what}s.`,
    examples,
    ([value, zone]: [Timestamp | Duration, string | undefined]) =>
      value instanceof Duration ? Math.trunc(value.millis / millis) + 0 : select(zoned(value, zone)),
  );
}

const at = 'timestamp("2027-03-01T05:06:07.089Z")';

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

function printed(value: Zoned, format: string): string {
  return formatParts(format)
    .map((part) =>
      "text" in part ? part.text : (letters[part.letter] as { print: (value: Zoned) => string }).print(value),
    )
    .join("");
}

function parsed(source: string, format: string, zone: string | undefined): Timestamp {
  const parts = formatParts(format);
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

const units = ["year", "quarter", "month", "week", "day", "hour", "minute"];

function startOf(value: Zoned, unit: string): Zoned {
  if (unit === "hour" || unit === "minute") return value.round({ smallestUnit: unit, roundingMode: "trunc" });
  const day = value.startOfDay();
  switch (unit) {
    case "day":
      return day;
    case "week":
      return day.subtract({ days: day.dayOfWeek - 1 }).startOfDay();
    case "month":
      return day.with({ day: 1 }).startOfDay();
    case "quarter":
      return day.with({ day: 1, month: day.month - ((day.month - 1) % 3) }).startOfDay();
    case "year":
      return day.with({ day: 1, month: 1 }).startOfDay();
    default:
      throw new CallFailure("bad-value", `"${unit}" is not a unit; there are ${units.join(", ")}.`, 1);
  }
}

export const dateFunctions: FunctionEntry[] = [
  selector(
    "getFullYear",
    "The year of a time, in a zone (UTC).",
    [
      [`${at}.getFullYear()`, "2027"],
      ['timestamp("2026-12-31T23:30:00Z").getFullYear("Europe/Vienna")', "2027"],
    ],
    (value) => value.year,
  ),
  selector(
    "getMonth",
    "The month of a time, from 0 for January.",
    [
      [`${at}.getMonth()`, "2"],
      [`${at}.getMonth("America/Los_Angeles")`, "1"],
    ],
    (value) => value.month - 1,
  ),
  selector(
    "getDate",
    "The day of the month, from 1.",
    [
      [`${at}.getDate()`, "1"],
      [`${at}.getDate("-06:00")`, "28"],
    ],
    (value) => value.day,
  ),
  selector(
    "getDayOfMonth",
    "The day of the month, from 0.",
    [
      [`${at}.getDayOfMonth()`, "0"],
      [`${at}.getDayOfMonth("-06:00")`, "27"],
    ],
    (value) => value.day - 1,
  ),
  selector(
    "getDayOfWeek",
    "The day of the week, from 0 for Sunday.",
    [
      [`${at}.getDayOfWeek()`, "1"],
      [`${at}.getDayOfWeek("-06:00")`, "0"],
    ],
    (value) => value.dayOfWeek % 7,
  ),
  selector(
    "getDayOfYear",
    "The day of the year, from 0.",
    [
      [`${at}.getDayOfYear()`, "59"],
      ['timestamp("2027-01-01T00:00:00Z").getDayOfYear()', "0"],
    ],
    (value) => value.dayOfYear - 1,
  ),
  clock(
    "getHours",
    "hour",
    3_600_000,
    [
      [`${at}.getHours()`, "5"],
      ['duration("90m").getHours()', "1"],
    ],
    (value) => value.hour,
  ),
  clock(
    "getMinutes",
    "minute",
    60_000,
    [
      [`${at}.getMinutes()`, "6"],
      ['duration("90m").getMinutes()', "90"],
    ],
    (value) => value.minute,
  ),
  clock(
    "getSeconds",
    "second",
    1_000,
    [
      [`${at}.getSeconds()`, "7"],
      ['duration("1m").getSeconds()', "60"],
    ],
    (value) => value.second,
  ),
  define(
    "getMilliseconds",
    "method",
    [{ name: "value", kinds: ["timestamp", "duration"] }, maybe(text("zone"))],
    "number",
    "The milliseconds within the second.",
    [
      [`${at}.getMilliseconds()`, "89"],
      ['duration("1.5s").getMilliseconds()', "500"],
    ],
    ([value, zone]: [Timestamp | Duration, string | undefined]) =>
      value instanceof Duration ? Math.trunc(value.millis % 1_000) + 0 : zoned(value, zone).millisecond,
  ),
  define(
    "today",
    "function",
    [maybe(text("zone"))],
    "text",
    "The day of now() in a zone (UTC), as 2027-03-01.",
    [
      ["today()", '"2027-03-01"'],
      ['today("America/Los_Angeles")', '"2027-02-28"'],
    ],
    ([zone]: [string | undefined], context) =>
      zoned(new Timestamp(context.now()), zone, 0).toPlainDate().toString(),
  ),
  define(
    "date.parse",
    "function",
    [text(), text("format"), maybe(text("zone"))],
    "timestamp",
    "A time from text in a form: yyyy yy MMMM MMM MM M dd d HH H hh h mm ss SSS a XXX, and text in 'quotes'; in a zone (UTC).",
    [
      ['date.parse("01.03.2027 06:00", "dd.MM.yyyy HH:mm", "Europe/Vienna")', '"2027-03-01T05:00:00.000Z"'],
      ['date.parse("March 1, 2027", "MMMM d, yyyy")', '"2027-03-01T00:00:00.000Z"'],
    ],
    ([source, format, zone]: [string, string, string | undefined]) => parsed(source, format, zone),
  ),
  define(
    "printed",
    "method",
    [time(), text("format"), maybe(text("zone"))],
    "text",
    "A time as text in a form, as date.parse takes it (also EEEE and EEE for the day of the week), in a zone (UTC).",
    [
      [`${at}.printed("EEE dd.MM.yyyy HH:mm", "Europe/Vienna")`, '"Mon 01.03.2027 06:06"'],
      [`${at}.printed("yyyy-MM-dd'T'HH:mm:ssXXX", "+05:30")`, '"2027-03-01T10:36:07+05:30"'],
    ],
    ([value, format, zone]: [Timestamp, string, string | undefined], context) => {
      const made = printed(zoned(value, zone, 2), format);
      context.make(made.length);
      return made;
    },
  ),
  define(
    "startOf",
    "method",
    [time(), text("unit"), maybe(text("zone"))],
    "timestamp",
    "When the year, quarter, month, week (from Monday), day, hour or minute of a time began, in a zone (UTC).",
    [
      [`${at}.startOf("month", "Europe/Vienna")`, '"2027-02-28T23:00:00.000Z"'],
      [`${at}.startOf("hour")`, '"2027-03-01T05:00:00.000Z"'],
    ],
    ([value, unit, zone]: [Timestamp, string, string | undefined]) =>
      new Timestamp(startOf(zoned(value, zone, 2), unit).epochMilliseconds),
  ),
];
