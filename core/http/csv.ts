import { parse } from "csv-parse/browser/esm/sync";
import { bounds } from "../values/bounds.js";
import type { Json } from "../values/json.js";

/** The text is not CSV that can be read; `message` says why. */
export class CsvFault extends Error {
  override name = "CsvFault";
}

/** What is said of a CSV text. */
export interface CsvForm {
  /** What stands between two values. Default: the one of comma, semicolon and tab that the first line has most of. */
  separator?: string;
  /** Whether the first line names the columns; else each row is a list. Default: true. */
  header?: boolean;
}

/**
 * CSV (RFC 4180) with a header line, as a list of objects whose values are texts; without one, of lists. A row may be
 * shorter than the header.
 * @throws CsvFault, also for a text beyond the bounds
 */
export function parseCsv(text: string, { separator, header: isNamed = true }: CsvForm = {}): Json {
  const [header = ""] = text.split(/\r?\n/, 1);
  const count = (sign: string) => header.split(sign).length;
  const delimiter =
    separator ?? [",", ";", "\t"].reduce((best, next) => (count(next) > count(best) ? next : best));
  requireBounds(text, count(delimiter));
  try {
    return parse(text, {
      columns: isNamed,
      bom: true,
      delimiter,
      skip_empty_lines: true,
      relax_column_count_less: true,
    }) as Json;
  } catch (error) {
    throw new CsvFault((error as Error).message.replace(/\.$/, ""));
  }
}

/** Found before it is read: the reader takes its time for each cell. */
function requireBounds(text: string, columns: number): void {
  if (columns > bounds.csvColumns)
    throw new CsvFault(`it has ${columns} columns, and ${bounds.csvColumns} are read`);
  let lines = 1;
  for (let at = text.indexOf("\n"); at >= 0; at = text.indexOf("\n", at + 1)) lines++;
  if (lines * columns > bounds.csvCells)
    throw new CsvFault(`it has ${lines} lines of ${columns} columns, and ${bounds.csvCells} cells are read`);
}
