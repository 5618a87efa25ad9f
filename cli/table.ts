import width from "fast-string-width";
import { wrapAnsi } from "fast-wrap-ansi";
import colors from "./colors.js";
import { zoneText } from "./output.js";

/** A column by its heading. Numbers stand at its right; above times it says their zone. */
export type Column = string | { numbers: string } | { times: string };

const gap = "  ";
const narrowest = 10;
// A date and its time stay together where they can.
const wordEnd = /\s+(?!\d\d:\d\d:\d\d)/;

/**
 * A table without lines; an empty one is the sentence given. In a terminal it fits its width: the widest columns are
 * folded. In a pipe each row stays on its line, unless COLUMNS says how wide it may be.
 */
export function table(columns: Column[], rows: string[][], empty: string): string {
  if (rows.length === 0) return process.stdout.isTTY ? colors.dim(empty) : "";
  const heads = columns.map((column) => colors.dim(headingOf(column)));
  const all = [heads, ...rows];
  const widest = (split: (text: string) => string[]) =>
    columns.map((_, at) => {
      const parts = all.flatMap((row) => split(row[at] ?? ""));
      return parts.reduce((most, part) => Math.max(most, width(part)), 0);
    });
  const natural = widest((text) => text.split("\n"));
  const leasts = [widest((text) => text.split(wordEnd)), widest((text) => text.split(/\s+/))];
  const widths = fitted(natural, leasts, roomFor(columns.length));
  const right = columns.map((column) => typeof column !== "string" && "numbers" in column);
  return all.map((row) => lines(row, widths, right)).join("\n");
}

function headingOf(column: Column): string {
  if (typeof column === "string") return column;
  return "numbers" in column ? column.numbers : `${column.times} (${zoneText()})`;
}

/** What a terminal leaves for the cells of a row; without end in a pipe. COLUMNS: POSIX, base definitions, 8.3. */
function roomFor(columns: number): number {
  const told = Number(process.env["COLUMNS"]);
  const wide = told > 0 ? told : (process.stdout.columns ?? Infinity);
  return wide - gap.length * (columns - 1);
}

/** Cuts the widest columns down to one width, the largest at which all fit; through a time, and a word, only as a last resort. */
function fitted(natural: number[], leasts: number[][], room: number): number[] {
  const words = leasts.at(-1) ?? [];
  const inWords = words.map((word) => Math.min(word, narrowest));
  for (const least of [...leasts, inWords]) {
    const cutTo = (level: number) => natural.map((one, at) => Math.max(Math.min(one, level), least[at] ?? 0));
    let level = Math.max(...natural);
    while (level > narrowest && sum(cutTo(level)) > room) level -= 1;
    if (sum(cutTo(level)) <= room) return cutTo(level);
  }
  return inWords;
}

const sum = (widths: number[]): number => widths.reduce((before, one) => before + one, 0);

function lines(row: string[], widths: number[], right: boolean[]): string {
  const cells = widths.map((room, at) => folded(row[at] ?? "", room));
  const height = Math.max(...cells.map((cell) => cell.length));
  return Array.from({ length: height }, (_, line) =>
    widths
      .map((room, at) => {
        const text = cells[at]?.[line] ?? "";
        const blank = " ".repeat(Math.max(0, room - width(text)));
        return right[at] ? blank + text : text + blank;
      })
      .join(gap)
      .trimEnd(),
  ).join("\n");
}

const folded = (text: string, room: number): string[] =>
  (width(text) > room ? wrapAnsi(text, room, { hard: true }) : text).split("\n");
