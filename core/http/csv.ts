import { parse } from "csv-parse/browser/esm/sync";
import { bounds } from "../values/bounds.js";
import type { Json } from "../values/json.js";

/** The text is not CSV that can be read; `message` says why. */
export class CsvFault extends Error {
  override name = "CsvFault";
}

/**
 * CSV (RFC 4180) with a header line, as a list of objects whose values are texts. The separator is the one of comma,
 * semicolon and tab that the header line has most of. A row may be shorter than the header.
 * @throws CsvFault, also for a text beyond the bounds
 */
export function parseCsv(text: string): Json {
  const [header = ""] = text.split(/\r?\n/, 1);
  const count = (separator: string) => header.split(separator).length;
  const delimiter = [",", ";", "\t"].reduce((best, next) => (count(next) > count(best) ? next : best));
  requireBounds(text, count(delimiter));
  try {
    return parse(text, {
      columns: true,
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
