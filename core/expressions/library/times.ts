import { Timestamp } from "../values.js";
import type { FunctionEntry } from "./entry.js";

const rfc3339 = /^(\d{4}-\d{2}-\d{2})[Tt ](\d{2}:\d{2}:\d{2})(\.\d+)?([Zz]|[+-]\d{2}:\d{2})$/;

/** Reads RFC 3339 text (section 5.6). Undefined when it is none. */
export function parseTimestamp(text: string): Timestamp | undefined {
  const match = rfc3339.exec(text);
  if (!match) return undefined;
  const [, day, clock, fraction = "", zone = "Z"] = match;
  // Date.parse takes the 30th of February for the 2nd of March, and 24:00 for the next day.
  const midnight = Date.parse(`${day}T00:00:00Z`);
  if (Number.isNaN(midnight) || !new Date(midnight).toISOString().startsWith(day as string)) return undefined;
  if ((clock as string).startsWith("24")) return undefined;
  const millis = Date.parse(`${day}T${clock}${fraction.slice(0, 4)}${zone.toUpperCase()}`);
  return Number.isNaN(millis) ? undefined : new Timestamp(millis);
}

export const timeFunctions: FunctionEntry[] = [
  {
    name: "now",
    form: "function",
    parameters: [],
    result: "timestamp",
    help: "The time at which the step began; the same when a run goes on after a stop.",
    examples: [
      ["now()", '"2027-03-01T05:00:00.000Z"'],
      ["string(now()).substring(0, 10)", '"2027-03-01"'],
    ],
    call: (_, context) => new Timestamp(context.now()),
  },
  {
    name: "epochSeconds",
    form: "method",
    parameters: [{ name: "time", kinds: ["timestamp"] }],
    result: "number",
    help: "Whole seconds since 1970-01-01T00:00:00Z.",
    examples: [
      ['timestamp("1970-01-01T00:01:00Z").epochSeconds()', "60"],
      ["now().epochSeconds()", "1803877200"],
    ],
    call: ([time]) => Math.floor((time as Timestamp).millis / 1000),
  },
  {
    name: "epochMillis",
    form: "method",
    parameters: [{ name: "time", kinds: ["timestamp"] }],
    result: "number",
    help: "Milliseconds since 1970-01-01T00:00:00Z.",
    examples: [
      ['timestamp("1970-01-01T00:00:01.5Z").epochMillis()', "1500"],
      ["now().epochMillis()", "1803877200000"],
    ],
    call: ([time]) => (time as Timestamp).millis,
  },
  {
    name: "uuid",
    form: "function",
    parameters: [],
    result: "text",
    help: "A new id (RFC 9562); the same when a run goes on after a stop, different everywhere else.",
    examples: [
      ["size(uuid())", "36"],
      ["uuid() == uuid()", "false"],
    ],
    call: (_, context) => context.uuid(),
  },
  {
    name: "remembered",
    form: "function",
    parameters: [{ name: "key", kinds: ["text"] }],
    result: "object",
    help: "What this workflow remembers under a key, from run to run; an empty object if that is nothing.",
    examples: [
      ['remembered("never seen")', "{}"],
      ['remembered("never seen").?low.orValue(false)', "false"],
    ],
    call: ([key], context) => context.remembered(key as string),
  },
];
