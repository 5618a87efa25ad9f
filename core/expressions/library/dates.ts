import { Temporal } from "temporal-polyfill";
import { Duration, Timestamp } from "../values.js";
import { parsed, printed, zoneName, type Zoned } from "./date-forms.js";
import { CallFailure, type CallContext, type FunctionEntry } from "./entry.js";
import { define, maybe, text, time } from "./define.js";

/** What it costs to find a day and an hour in a zone, in steps. */
const calendarCost = 300;

/** A time in a zone: an IANA name, or an offset such as +05:30 or 02:00; UTC where none is given. */
function zoned(value: Timestamp, zone: string | undefined, context: CallContext, argument = 1): Zoned {
  context.step(calendarCost);
  const instant = Temporal.Instant.fromEpochMilliseconds(Math.trunc(value.millis));
  return instant.toZonedDateTimeISO(zoneName(zone, argument));
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
    ([value, zone]: [Timestamp, string | undefined], context) => select(zoned(value, zone, context)),
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
    ([value, zone]: [Timestamp | Duration, string | undefined], context) =>
      value instanceof Duration ? Math.trunc(value.millis / millis) + 0 : select(zoned(value, zone, context)),
  );
}

const at = 'timestamp("2027-03-01T05:06:07.089Z")';

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
    ([value, zone]: [Timestamp | Duration, string | undefined], context) =>
      value instanceof Duration
        ? Math.trunc(value.millis % 1_000) + 0
        : zoned(value, zone, context).millisecond,
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
      zoned(new Timestamp(context.now()), zone, context, 0).toPlainDate().toString(),
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
    ([source, format, zone]: [string, string, string | undefined], context) => {
      context.step(2 * calendarCost + format.length);
      return parsed(source, format, zone);
    },
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
      context.step(calendarCost + 20 * format.length);
      const made = printed(zoned(value, zone, context, 2), format);
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
    ([value, unit, zone]: [Timestamp, string, string | undefined], context) => {
      context.step(4 * calendarCost);
      return new Timestamp(startOf(zoned(value, zone, context, 2), unit).epochMilliseconds);
    },
  ),
];
