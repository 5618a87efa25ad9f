import { closed, execute, opened, selectOn } from "../store/database.js";
import type { Writer } from "../store/writer.js";

/** So many pages are copied at a time; commits go between. */
const pagesAStep = 1_000;

/** The part of sqlite3's backup that is used here; its types leave it out. */
interface Copying {
  step(pages: number, done: (error: Error | null, completed: boolean) => void): void;
  finish(done: (error: Error | null) => void): void;
}

interface Copied {
  backup(file: string, done: (error: Error | null) => void): Copying;
}

/**
 * Copies the database to a new file, as it is at the end, by SQLite's online backup, in steps on the writer's connection:
 * what is committed between two steps goes into the copy as well, and the log does not grow meanwhile as it would beside
 * a long read.
 */
export async function copyDatabase(writer: Writer, file: string): Promise<void> {
  const copying = await writer.between(
    (connection) =>
      new Promise<Copying>((resolve, reject) => {
        const begun: Copying = (connection as unknown as Copied).backup(file, (error) =>
          error ? reject(error) : resolve(begun),
        );
      }),
  );
  try {
    while (!(await writer.between(() => stepOf(copying))));
  } finally {
    await writer.between(() => new Promise<void>((resolve) => copying.finish(() => resolve())));
  }
  // The copy says that it has a log, as its source has; it has none, and is read where nothing may be written.
  const copy = await opened(file, "PRAGMA synchronous=FULL;");
  try {
    await selectOn(copy, "PRAGMA journal_mode=DELETE");
    await execute(copy, "PRAGMA optimize");
  } finally {
    await closed(copy);
  }
}

const stepOf = (copying: Copying): Promise<boolean> =>
  new Promise((resolve, reject) =>
    copying.step(pagesAStep, (error, completed) => (error ? reject(error) : resolve(completed))),
  );
