import { Exact, type Json } from "./json.js";

const unitMillis: Record<string, number> = {
  ns: 1e-6,
  us: 1e-3,
  ms: 1,
  s: 1_000,
  m: 60_000,
  h: 3_600_000,
  d: 86_400_000,
};

const part = /(\d+(?:\.\d*)?|\.\d+)(ns|us|ms|s|m|h|d)/y;

/**
 * Reads a duration such as `90s`, `1h30m`, `250ms`, `2d` (CEL's form of google.protobuf.Duration text, plus `d`).
 * @returns milliseconds, or undefined when the text is not a duration
 */
export function parseDuration(text: string): number | undefined {
  const sign = text.startsWith("-") ? -1 : 1;
  let at = /^[+-]/.test(text) ? 1 : 0;
  if (at >= text.length) return undefined;
  let total = 0;
  while (at < text.length) {
    part.lastIndex = at;
    const match = part.exec(text);
    if (!match) return /^[+-]?0$/.test(text) ? 0 : undefined;
    total += Number(match[1]) * (unitMillis[match[2] as string] as number);
    at = part.lastIndex;
  }
  return (sign * Math.round(total * 1e6)) / 1e6;
}

/** How long a value says: a number of seconds, or a duration as a text. In milliseconds; undefined when it says neither. */
export function millisOf(value: Json): number | undefined {
  const millis =
    typeof value === "string"
      ? parseDuration(value)
      : typeof value === "number" || value instanceof Exact
        ? Number(value) * 1_000
        : undefined;
  return millis !== undefined && Number.isFinite(millis) && millis >= 0 ? Math.ceil(millis) : undefined;
}

const nearUnits: [word: string, unit: string][] = [
  ["milli", "ms"],
  ["sec", "s"],
  ["min", "m"],
  ["h", "h"],
  ["day", "d"],
];

/** What to write instead, for people: names the forms and, where it can be guessed, the fitting one. */
export function durationHint(text: string): string {
  const number = /^\s*(\d+(?:\.\d+)?)\s*([a-z]*)\s*$/i.exec(text);
  const unit = number?.[2]?.toLowerCase() ?? "";
  const near = /^(ms|s|m|h|d)$/.test(unit)
    ? unit
    : unit === ""
      ? "s"
      : nearUnits.find(([word]) => unit.startsWith(word))?.[1];
  const example = number && near ? ` Did you mean ${number[1]}${near}?` : "";
  return `A duration is a number with a unit (ms, s, m, h, d), such as 500ms, 20s, 10m or 1h30m.${example}`;
}

/** Prints milliseconds as a duration in seconds, as CEL does: `90s`, `1.5s`. */
export function printSeconds(millis: number): string {
  return `${Number((millis / 1000).toFixed(9))}s`;
}

/** Prints milliseconds for people: `350 ms`, `4.2 s`, `3 min 20 s`, `2 h 5 min`. */
export function printForPeople(millis: number): string {
  if (millis < 1_000) return `${Math.round(millis)} ms`;
  if (millis < 60_000) return `${Number((millis / 1000).toFixed(1))} s`;
  const pair = (big: number, bigUnit: string, small: number, smallUnit: string) =>
    small === 0 ? `${big} ${bigUnit}` : `${big} ${bigUnit} ${small} ${smallUnit}`;
  const seconds = Math.round(millis / 1000);
  if (seconds < 3_600) return pair(Math.floor(seconds / 60), "min", seconds % 60, "s");
  const minutes = Math.round(seconds / 60);
  if (minutes < 1_440) return pair(Math.floor(minutes / 60), "h", minutes % 60, "min");
  return pair(Math.floor(minutes / 1_440), "d", Math.round((minutes % 1_440) / 60), "h");
}
