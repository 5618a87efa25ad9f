import { expect, it } from "vitest";
import { PagesAhead, type JournalPage } from "./pages-ahead.js";

/** Reads a journal of so many entries, by pages of ten; what was asked for, in its order. */
function journal(count: number): { asked: number[]; ahead: PagesAhead } {
  const asked: number[] = [];
  const read = async (after: number): Promise<JournalPage> => {
    asked.push(after);
    const entries = Array.from({ length: Math.max(0, Math.min(10, count - after - 1)) }, (_, index) => ({
      seq: after + 1 + index,
      entry: {},
    }));
    return { entries, more: after + 11 < count };
  };
  return { asked, ahead: new PagesAhead(read, 10) };
}
async function readAll({ ahead }: { ahead: PagesAhead }): Promise<number[]> {
  const seen: number[] = [];
  for (let after = -1, more = true; more; after = seen.at(-1) ?? after) {
    const page = await ahead.next(after);
    seen.push(...page.entries.map(({ seq }) => seq));
    more = page.more;
  }
  return seen;
}
const upTo = (count: number): number[] => Array.from({ length: count }, (_, index) => index);

it("reads each entry once, in order, and asks for each page once", async () => {
  for (const count of [0, 1, 9, 10, 11, 35, 60, 100]) {
    const it_ = journal(count);
    expect(await readAll(it_)).toEqual(upTo(count));
    expect(new Set(it_.asked).size).toBe(it_.asked.length);
  }
});

it("asks for one page where there is one", async () => {
  const it_ = journal(10);
  await readAll(it_);
  expect(it_.asked).toEqual([-1]);
});

it("asks for the next pages at once when the last entry is known, and for none behind it", async () => {
  for (const count of [1, 10, 11, 41, 60, 100]) {
    const it_ = journal(count);
    const first = it_.ahead.next(-1);
    it_.ahead.expect(count - 1);
    expect(it_.asked).toEqual([-1, 9, 19, 29].filter((after) => after < count - 1));
    await first;
    expect(await readAll(it_)).toEqual(upTo(count));
    // The first page was read twice, by this test.
    expect(it_.asked.slice().sort((a, b) => a - b)).toEqual(
      [-1, -1, 9, 19, 29, 39, 49, 59, 69, 79, 89].filter((after) => after < count - 1),
    );
  }
});

it("goes on where a page that was asked for ahead fails", async () => {
  let fails = true;
  const ahead = new PagesAhead(async (after) => {
    if (after === 9 && fails) throw new Error("away");
    return { entries: [], more: after < 9 };
  }, 10);
  ahead.expect(12);
  await expect(ahead.next(9)).rejects.toThrow("away");
  fails = false;
  await expect(ahead.next(9)).resolves.toBeDefined();
});
