import { printJson, type Json } from "@copper-kettle/core";
import Table from "cli-table3";
import colors from "./colors.js";
import type { Globals } from "./context.js";

const plain = {
  top: "",
  "top-mid": "",
  "top-left": "",
  "top-right": "",
  bottom: "",
  "bottom-mid": "",
  "bottom-left": "",
  "bottom-right": "",
  left: "",
  "left-mid": "",
  mid: "",
  "mid-mid": "",
  right: "",
  "right-mid": "",
  middle: "  ",
};

/** Prints data: with --json as JSON, else by `human`. */
export function show(globals: Globals, data: unknown, human: () => string): void {
  const text = globals.json ? printJson(data, 2) : human();
  if (text !== "") process.stdout.write(text.endsWith("\n") ? text : `${text}\n`);
}

/** Says something that is not data: on standard error. */
export function say(text: string): void {
  process.stderr.write(`${text}\n`);
}

/** A table without lines; an empty one is the sentence given. */
export function table(head: string[], rows: string[][], empty: string): string {
  if (rows.length === 0) return process.stdout.isTTY ? colors.dim(empty) : "";
  const made = new Table({
    head: head.map((text) => colors.dim(text)),
    chars: plain,
    style: { head: [], border: [], "padding-left": 0, "padding-right": 0 },
  });
  made.push(...rows);
  return made.toString().replace(/[ ]+$/gm, "");
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

/** A time for people, in the machine's zone. */
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
