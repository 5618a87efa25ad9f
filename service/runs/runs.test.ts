import { bounds, Exact } from "@copper-kettle/core";
import { describe, expect, it } from "vitest";
import { continueRunIds, newRunId } from "./ids.js";
import { checkInputs, secretInputs } from "./inputs.js";
import { RateLimiter } from "./rate-limiter.js";
import { TurnQueue } from "./queue.js";

describe("turns", () => {
  const begun: string[] = [];
  const queue = (most: number): TurnQueue => {
    begun.length = 0;
    return new TurnQueue(most, (turn) => begun.push(turn.run));
  };
  const turn = (run: string, workflow = run[0] as string, parallel?: number) => ({ run, workflow, parallel });

  it("are fair between workflows: many runs of one do not starve one of another", () => {
    const turns = queue(1);
    for (const run of ["a1", "a2", "a3", "a4", "b1", "c1"]) turns.add(turn(run));
    for (let count = 0; count < 5; count++)
      turns.rested(begun.at(-1) as string, begun.at(-1)?.[0] as string, { keepsPlace: false });
    expect(begun).toEqual(["a1", "a2", "b1", "c1", "a3", "a4"]);
  });

  it("keep to each workflow's limit, in the order of the starts", () => {
    const turns = queue(10);
    for (const run of ["a1", "a2", "a3"]) turns.add(turn(run, "a", 1));
    turns.add(turn("b1"));
    expect(begun).toEqual(["a1", "b1"]);
    expect(turns.waiting("a")).toBe(2);
    turns.rested("a1", "a", { keepsPlace: false });
    expect(begun).toEqual(["a1", "b1", "a2"]);
  });

  it("are kept by a run that sleeps, and given up by one that does not", () => {
    const turns = queue(10);
    turns.add(turn("a1", "a", 1));
    turns.add(turn("a2", "a", 1));
    turns.rested("a1", "a", { keepsPlace: true });
    expect(begun).toEqual(["a1"]);
    turns.add(turn("a1", "a", 1), { first: true });
    expect(begun).toEqual(["a1", "a1"]);
    turns.rested("a1", "a", { keepsPlace: false });
    expect(begun).toEqual(["a1", "a1", "a2"]);
  });

  it("end for a run that is taken out", () => {
    const turns = queue(10);
    turns.hold("a1", "a", [], { place: true });
    turns.add(turn("a2", "a", 1));
    turns.add(turn("a3", "a", 1));
    turns.remove("a2", "a");
    expect(begun).toEqual([]);
    turns.remove("a1", "a");
    expect(begun).toEqual(["a3"]);
  });
});

describe("inputs", () => {
  const schema = {
    type: "object",
    required: ["email"],
    properties: {
      email: { type: "string", format: "email" },
      hut: { type: "string", default: "corrie" },
      n: { type: "integer" },
    },
  };

  it("are filled with defaults, and keep the digits of long numbers", () => {
    const given = { email: "odd@huts.example", n: new Exact("12345678901234567890") };
    expect(checkInputs(schema, given)).toEqual({ inputs: { ...given, hut: "corrie" }, faults: [] });
  });

  it("say each field at fault", () => {
    const { faults } = checkInputs(schema, { n: "x", extra: 1 });
    expect(faults.map((fault) => fault.field).sort()).toEqual(["email", "extra", "n"]);
    expect(checkInputs(undefined, { a: 1 }).faults).toHaveLength(1);
    expect(checkInputs({ type: "nonsense" }, {}).faults[0]?.message).toContain("not a JSON Schema");
  });

  const fields = (properties: object, given: object): string[] =>
    checkInputs({ type: "object", properties } as never, given as never).faults.map(({ field }) => field);

  // One start with 33 characters stopped the service for good.
  it("are held against patterns in linear time, found anywhere in them", () => {
    const properties = {
      id: { type: "string", pattern: "^(a+)+$" },
      part: { type: "string", pattern: "[0-9]{3}" },
    };
    expect(fields(properties, { id: `${"a".repeat(100_000)}!` })).toEqual(["id"]);
    expect(fields(properties, { id: "aaa", part: "hut 123" })).toEqual([]);
    expect(
      fields({ a: { patternProperties: { "^(b+)+$": {} }, type: "object" } }, { a: { bbbb: 1 } }),
    ).toEqual([]);
    const { faults } = checkInputs({ type: "object", properties: { a: { pattern: "(?=x)y" } } }, { a: "xy" });
    expect(faults[0]?.message).toContain("not a JSON Schema");
  }, 30_000);

  it("of a hundred thousand items are compared once each, and say no more than so many faults", () => {
    const items = Array.from({ length: 100_000 }, (_, at) => ({ at, hut: "corrie" }));
    expect(fields({ list: { type: "array", uniqueItems: true } }, { list: items })).toEqual([]);
    expect(
      fields(
        { list: { uniqueItems: true } },
        {
          list: [
            { a: 1, b: 2 },
            { b: 2, a: 1 },
          ],
        },
      ),
    ).toEqual(["list"]);
    expect(fields({ list: { items: { type: "string" } } }, { list: items.slice(0, 5_000) })).toHaveLength(
      bounds.notes,
    );
  }, 30_000);

  it("are secret where the schema says writeOnly", () => {
    const secret = {
      properties: {
        a: { writeOnly: true },
        b: { properties: { c: { writeOnly: true } } },
        d: { items: { writeOnly: true } },
      },
    };
    expect(secretInputs(secret)).toEqual([["a"], ["b", "c"], ["d", "*"]]);
  });
});

describe("run ids", () => {
  it("are new each time, and sort in the order of time", () => {
    const ids = Array.from({ length: 1_000 }, newRunId);
    expect(new Set(ids).size).toBe(1_000);
    expect([...ids].sort()).toEqual(ids);
  });

  it("go on behind those of before, also where the clock was set back", () => {
    const ahead = `${"1z".padEnd(9, "z")}0000000`;
    continueRunIds(ahead);
    expect(newRunId() > ahead).toBe(true);
    continueRunIds("10000000000000000");
    expect(newRunId() > ahead).toBe(true);
  });
});

describe("the rateLimiter", () => {
  it("holds nobody for an hour because the clock was set back by one", () => {
    let now = Date.UTC(2027, 2, 1, 5);
    const rateLimiter = new RateLimiter(
      { all: () => [], document: () => undefined, changes: 0 } as never,
      () => now,
    );
    const call = { url: "http://127.0.0.1:9/a", workflow: "w" };
    rateLimiter.take(call)?.done({ status: 429, headers: { "retry-after": "5" } });
    now -= 3_600_000;
    expect(rateLimiter.take(call)).toBeUndefined();
    expect(rateLimiter.expected(call) - now).toBe(5_000);
    now += 5_000;
    expect(rateLimiter.take(call)).toBeDefined();
  });
});
