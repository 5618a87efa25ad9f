import widthOf from "fast-string-width";
import { wrapAnsi } from "fast-wrap-ansi";
import colors from "./colors.js";
import { zoneText } from "./output.js";

/** A column by its heading. Numbers stand at its right; above times it says their zone. */
export type Column = string | { numbers: string } | { times: string };

const gap = "  ";
const narrowest = 8;
/** Most texts are plain, and told at once. */
const width = (text: string): number => (/^[ -~]*$/.test(text) ? text.length : widthOf(text));
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
  const words = (): number[] => widest((text) => text.split(/\s+/));
  // What has to stay together, from most to least: times, words, all words but those of the last column, which has the
  // sentences.
  const leasts = [() => widest((text) => text.split(wordEnd)), words, () => words().slice(0, -1)];
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

/**
 * The width of each column: the widest are cut down to one width, the largest at which all fit. Through a time, and then
 * through the longest words, only where they would not fit else.
 */
function fitted(natural: number[], leasts: (() => number[])[], room: number): number[] {
  if (sum(natural) <= room) return natural;
  for (const least of leasts) {
    const cut = cutTo(natural, least(), room);
    if (sum(cut) <= room) return cut;
  }
  return cutTo(natural, [], room);
}

function cutTo(natural: number[], least: number[], room: number): number[] {
  const at = (level: number) =>
    natural.map((one, index) => Math.max(Math.min(one, level), least[index] ?? 0));
  let level = Math.max(...natural);
  while (level > narrowest && sum(at(level)) > room) level -= 1;
  return at(level);
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
