import type { JsonObject } from "../values/json.js";
import { describe, expect, it } from "vitest";
import { readWorkflow } from "../workflows/read.js";
import { readOf } from "../workflows/judge-event.js";
import type { PollTrigger } from "../workflows/triggers.js";
import { askedMark, differenceOf, isPlausiblyGone, nextMark } from "./poll.js";

const item = (id: string, changed: string | null = null) => ({ id, changed, item: { id, changed } });

describe("what is new in a read", () => {
  it("is what was not known, or is otherwise than it was; an id that comes twice counts once", () => {
    const known = new Map([
      ["a", { changed: "1" }],
      ["b", { changed: "1" }],
      ["gone", { changed: null }],
    ]);
    const { fresh, absent } = differenceOf(
      [item("a", "1"), item("b", "2"), item("c", "1"), item("c", "9")],
      known,
    );
    expect(fresh.map(({ id, changed, known: was }) => [id, changed, was])).toEqual([
      ["b", "2", true],
      ["c", "1", false],
    ]);
    expect(absent).toEqual(["gone"]);
    // Without `changed` a known item never counts again.
    expect(differenceOf([item("a")], known).fresh).toEqual([]);
  });

  it("costs the same for each of 100,000 items", () => {
    const read = Array.from({ length: 100_000 }, (_, index) => item(`i${index}`, "1"));
    const known = new Map(read.map(({ id }) => [id, { changed: "1" }]));
    const begun = process.cpuUsage().user;
    expect(differenceOf(read, known).fresh).toEqual([]);
    expect(process.cpuUsage().user - begun).toBeLessThan(1_000_000);
  });
});

describe("a mark", () => {
  it("is the greatest of its kind, and never goes back", () => {
    const early = Date.parse("2027-03-01T05:00:00Z");
    expect(
      nextMark("time", undefined, ["2027-03-01T05:00:00Z", "2027-02-01T00:00:00+01:00", null, "x", 5]),
    ).toBe(early);
    expect(nextMark("time", early, ["2027-01-01T00:00:00Z"])).toBe(early);
    expect(nextMark("time", early, [])).toBe(early);
    expect(nextMark("number", 5, 7)).toBe(7);
    expect(nextMark("number", 5, "7")).toBe(5);
    expect(nextMark("text", "b", ["a", "c"])).toBe("c");
    expect(nextMark("text", "b", null)).toBe("b");
  });

  it("is asked for less what comes late, and not at all before the first read", () => {
    expect(askedMark("time", undefined, 0)).toBeNull();
    expect(askedMark("time", Date.parse("2027-03-01T05:02:00Z"), 120_000)).toBe("2027-03-01T05:00:00.000Z");
    expect(askedMark("number", 5, 0)).toBe(5);
  });
});

describe("a read", () => {
  const ready = (poll: string): PollTrigger => {
    const { workflow, problems } = readWorkflow(
      `copper-kettle: 1\nname: p\ntriggers:\n  t: { poll: { request: "GET https://stays.example/stays", every: 1m, ${poll} } }\nsteps: [{ step: a, note: x }]\n`,
    );
    expect(problems).toEqual([]);
    return workflow?.triggers["t"] as PollTrigger;
  };
  const around = { constants: {}, id: "e", at: 0 };
  const body: JsonObject = {
    list: [
      { id: 1, s: "a", own: true },
      { id: 2, s: "b" },
    ],
  };

  it("has its items with their ids, without those that are passed over", () => {
    const poll = ready(
      'items: body.list, id-of: item.id, changed: "[item.s]", ignore: item.?own.orValue(false)',
    );
    expect(readOf(poll, { status: 200, body }, around)).toEqual({
      items: [{ id: "2", changed: '["b"]', item: { id: 2, s: "b" } }],
      mark: null,
    });
    // Without an id equal items are one.
    expect(readOf(ready("items: body.list"), { body }, around)).toMatchObject({
      items: [
        { id: expect.stringContaining('"s":"a"') as string },
        { id: expect.stringContaining('"s":"b"') as string },
      ],
    });
    expect(
      readOf(
        ready('mark: { value: "body.list.map(x, x.id)", kind: number }, items: body.list'),
        { body },
        around,
      ),
    ).toMatchObject({
      mark: [1, 2],
    });
  });

  it("that is no list, or has no id, says so", () => {
    expect(readOf(ready("items: body"), { body }, around)).toEqual({
      fault: expect.stringContaining('"items" must be a list') as string,
    });
    expect(readOf(ready("items: body.list, id-of: item.nothing"), { body }, around)).toHaveProperty("fault");
    expect(readOf(ready('items: body.list, id-of: "null"'), { body }, around)).toEqual({
      fault: expect.stringContaining('"id-of" gives nothing') as string,
    });
  });

  it("takes for gone what one look can lose, and asks about the rest", () => {
    const may = [
      [0, 0, 0],
      [1, 3, 2],
      [2, 20, 18],
      [3, 30, 40],
    ] as const;
    const asks = [
      [1, 1, 0],
      [2, 19, 17],
      [20, 20, 0],
      [4, 30, 26],
    ] as const;
    for (const [gone, known, read] of may) expect(isPlausiblyGone(gone, known, read)).toBe(true);
    for (const [gone, known, read] of asks) expect(isPlausiblyGone(gone, known, read)).toBe(false);
  });
});
