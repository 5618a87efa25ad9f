import type { OutputOf, runsRoutes } from "@copper-kettle/contract";

export type JournalPage = OutputOf<typeof runsRoutes.journal>;

/** So many pages are asked for while one is looked at: a browser has six connections to a host. */
const most = 3;

/** Reads pages of a journal one after the other: of one with many, the service makes the next ones while one is looked at. */
export class PagesAhead {
  readonly #coming = new Map<number, Promise<JournalPage>>();
  #from = -1;
  #last = -1;
  #isLong = false;

  /** @param read asks for the page behind an entry, by its number */
  constructor(
    readonly read: (after: number) => Promise<JournalPage>,
    readonly size: number,
  ) {}

  /** The number of the last entry: no page behind it is asked for ahead, and none before it waits. */
  expect(last: number): void {
    this.#last = last;
    this.#lookAhead();
  }

  /** @param after the number of the entry before the page */
  async next(after: number): Promise<JournalPage> {
    this.#from = after;
    const page = this.#ask(after);
    this.#lookAhead();
    const found = await page;
    this.#coming.delete(after);
    this.#isLong = found.more;
    return found;
  }

  #lookAhead(): void {
    const isKnown = this.#last >= 0;
    if (!isKnown && !this.#isLong) return;
    // Entries are numbered without a gap, so that it is known where the pages behind a full one begin.
    for (let ahead = 1; ahead <= most; ahead++) {
      const after = this.#from + ahead * this.size;
      if (!isKnown || after < this.#last) void this.#ask(after);
    }
  }

  #ask(after: number): Promise<JournalPage> {
    const known = this.#coming.get(after);
    if (known) return known;
    const asked = this.read(after);
    this.#coming.set(after, asked);
    // One that fails before it is wanted is asked for again then.
    asked.catch(() => this.#coming.delete(after));
    return asked;
  }
}
