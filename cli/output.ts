import { printJson, type Json } from "@copper-kettle/core";
import colors, { errorColors } from "./colors.js";
import type { Globals } from "./context.js";

/** Prints data: with --json as JSON, else by `human`. */
export function show(globals: Globals, data: unknown, human: () => string): void {
  const text = globals.json ? printJson(data, 2) : human();
  if (text !== "") process.stdout.write(text.endsWith("\n") ? text : `${text}\n`);
}

/** Says to a person in a terminal which command comes next, ready to paste; a script does not see it. */
export function sayNext(text: string): void {
  if (process.stdout.isTTY) say(errorColors.dim(text));
}

/** How many of something there are: 1 call, 2 calls. */
export function counted(number: number, noun: string): string {
  return `${number} ${noun}${number === 1 ? "" : "s"}`;
}

/** Says something that is not data: on standard error. */
export function say(text: string): void {
  process.stderr.write(`${text}\n`);
}

const marks: Record<string, (text: string) => string> = {
  succeeded: (text) => colors.green(`✓ ${text}`),
  failed: (text) => colors.red(`✗ ${text}`),
  unsure: (text) => colors.yellow(`? ${text}`),
  parked: (text) => colors.yellow(`! ${text}`),
  running: (text) => colors.cyan(`▸ ${text}`),
  waiting: (text) => colors.cyan(`… ${text}`),
  queued: (text) => colors.dim(`· ${text}`),
  stopped: (text) => colors.magenta(`■ ${text}`),
  skipped: (text) => colors.dim(`- ${text}`),
};

/** A state with its own mark, never shown by colour alone. */
export function stateText(state: string): string {
  return (marks[state] ?? ((text: string) => text))(state);
}

/** The zone of this machine at a time, such as UTC+1 or UTC-3:30. */
export function zoneText(date = new Date()): string {
  const east = -date.getTimezoneOffset();
  const minutes = Math.abs(east) % 60;
  if (east === 0) return "UTC";
  return `UTC${east > 0 ? "+" : "-"}${Math.floor(Math.abs(east) / 60)}${minutes ? `:${String(minutes).padStart(2, "0")}` : ""}`;
}

/** A time for people, with its zone. For a column of a table see {@link timeText}: there its heading says the zone. */
export function momentText(iso: string | null): string {
  return iso ? `${timeText(iso)} ${zoneText(new Date(iso))}` : "";
}

/** A time for people, in the machine's zone, which is said where it stands. */
export function timeText(iso: string | null): string {
  if (!iso) return "";
  const date = new Date(iso);
  const two = (value: number) => String(value).padStart(2, "0");
  return `${date.getFullYear()}-${two(date.getMonth() + 1)}-${two(date.getDate())} ${two(date.getHours())}:${two(date.getMinutes())}:${two(date.getSeconds())}`;
}

/** JSON on one line, cut where it is long. */
export function brief(value: Json | undefined, length = 100): string {
  const text = value === undefined ? "" : typeof value === "string" ? value : printJson(value);
  const line = text.replace(/\s+/g, " ");
  return line.length > length ? `${line.slice(0, length - 1)}…` : line;
}
