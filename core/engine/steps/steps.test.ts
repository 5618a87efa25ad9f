import { describe, expect, it } from "vitest";
import type { Json } from "../../values/json.js";
import type { Entry } from "../entries.js";
import { World, type Responder } from "../fakes.test.kit.js";

const world = (steps: string, respond?: Responder, head = ""): World =>
  new World(`copper-kettle: 1\nname: test\n${head}steps:\n${steps}`, respond);
const outcomeOf = (it: World, path: string): Json | undefined => {
  const entry = it
    .entries()
    .find((item): item is Extract<Entry, { type: "ended" }> => item.type === "ended" && item.path === path);
  return entry?.outcome;
};

describe("set", () => {
  it("keeps kinds, sees what was set before, and its outcome is its values", async () => {
    const it = world(
      '  - { step: a, set: { n: 5, list: [1, "${1 + 1}"], gone: "${{}.?x}" } }\n  - { step: b, set: { n: "${variables.n + 1}", text: "n=${variables.n}" } }\n',
    );
    expect((await it.run()).state).toBe("succeeded");
    expect(outcomeOf(it, "a")).toEqual({ n: 5, list: [1, 2], gone: null });
    expect(outcomeOf(it, "b")).toEqual({ n: 6, text: "n=5" });
  });

  it("in an ordered loop is seen by the next item and after the loop", async () => {
    const it = world(
      '  - { step: a, set: { total: 0 } }\n  - { step: l, each: \'[1, 2, 3]\', as: n, steps: [{ step: add, set: { total: "${variables.total + n}" } }] }\n  - { step: z, note: "${variables.total}" }\n',
    );
    await it.run();
    expect(outcomeOf(it, "z")).toBe(6);
  });
});

describe("if", () => {
  it("chooses once: after a stop it takes the branch that it took", async () => {
    const file =
      "  - { step: c, if: constants.open, then: [{ step: t, note: then }, { step: g, request: GET https://a.example }], else: [{ step: e, note: else }] }\n";
    const it = world(file);
    it.constants = { open: true };
    it.beforeSend = () => it.pause.abort();
    expect((await it.run()).state).toBe("succeeded");
    const again = world(file);
    again.rows = it.rows.slice(
      0,
      it.entries().findIndex((entry) => entry.type === "begun" && entry.path === "g"),
    );
    again.constants = { open: false };
    expect((await again.run()).state).toBe("succeeded");
    expect(outcomeOf(again, "e")).toBeUndefined();
    expect(again.sent).toHaveLength(1);
  });

  it("fails when its condition is neither true nor false", async () => {
    expect(await world("  - { step: c, if: '5', then: [] }\n").run()).toMatchObject({
      state: "failed",
      error: { code: "expression", step: "c", field: "if" },
    });
  });

  it("leaves the steps of the other branch absent, which default can say", async () => {
    const it = world(
      '  - { step: c, if: false, then: [{ step: t, note: x }] }\n  - { step: n, note: "${default(steps.t, \'absent\')}" }\n  - { step: m, note: "${steps.t}" }\n',
    );
    expect(await it.run()).toMatchObject({
      state: "failed",
      error: { step: "m", message: expect.stringContaining('Step "t" has no outcome here') },
    });
    expect(outcomeOf(it, "n")).toBe("absent");
  });
});

describe("wait", () => {
  it("waits a duration in memory, or asleep, and says when it woke", async () => {
    const it = world(
      "  - { step: a, wait: { for: 5s } }\n  - { step: b, wait: { for: \"${duration('2h')}\" } }\n",
    );
    const first = await it.run();
    expect(first).toMatchObject({ state: "waiting", until: it.time + 7_200_000 });
    expect(it.waits).toEqual([5_000]);
    it.time += 7_200_000;
    expect((await it.run()).state).toBe("succeeded");
    expect(outcomeOf(it, "b")).toEqual({ woke: new Date(it.time).toISOString() });
  });

  it("waits until a time, which may have passed", async () => {
    const it = world(
      '  - { step: a, wait: { at: "2027-03-01T05:00:10Z" } }\n  - { step: b, wait: { at: "2020-01-01T00:00:00Z" } }\n',
    );
    expect((await it.run()).state).toBe("succeeded");
    expect(it.waits).toEqual([10_000]);
  });

  it.each([
    ["for", "soon"],
    ["for", "${5}"],
    ["at", "tomorrow"],
    ["at", "${null}"],
  ])("fails for %s %s, and says what it wants", async (key, text) => {
    const it = world(
      `  - { step: a, wait: { ${key}: "\${default(inputs.x, '')}" } }\n`,
      undefined,
      "inputs: { type: object }\n",
    );
    it.inputs = { x: text === "${5}" ? 5 : text === "${null}" ? null : text };
    expect(await it.run()).toMatchObject({
      state: "failed",
      error: { code: "bad-value", field: `wait.${key}` },
    });
  });
});

describe("respond", () => {
  it("answers once, after it is durable; a second one fails", async () => {
    const it = world(
      '  - { step: a, respond: { status: "${200 + 2}", headers: { X-A: 5, X-None: null }, body: [1] } }\n  - { step: b, respond: {} }\n',
    );
    expect(await it.run()).toMatchObject({ state: "failed", error: { code: "responded-twice", step: "b" } });
    expect(it.responses).toEqual([{ status: 202, headers: { "X-A": "5" }, body: [1] }]);
  });

  it.each(["${99}", "${600}", "ok", "${[1]}"])("refuses the status %s", async (status) => {
    expect(await world(`  - { step: a, respond: { status: "${status}" } }\n`).run()).toMatchObject({
      state: "failed",
      error: { field: "respond.status" },
    });
  });
});

describe("stop and note", () => {
  it("end the run with a message, and write into the journal", async () => {
    const it = world(
      '  - { step: n, note: "at ${now()}" }\n  - { step: s, finish: "done ${steps.n}" }\n  - { step: never, note: x }\n',
    );
    expect((await it.run()).state).toBe("succeeded");
    expect(it.entries().at(-1)).toMatchObject({
      type: "finished",
      message: "done at 2027-03-01T05:00:00.000Z",
    });
    expect(outcomeOf(it, "never")).toBeUndefined();
  });
});

describe("each", () => {
  it("of an empty list does nothing, and collects nothing", async () => {
    const it = world("  - { step: l, each: '[]', collect: item, steps: [{ step: x, note: y }] }\n");
    await it.run();
    expect(outcomeOf(it, "l")).toEqual({ done: 0, failed: 0, failures: [], items: [] });
  });

  it("nests, and sees outer items and indexes only by name", async () => {
    const it = world(
      '  - { step: o, each: \'[[1, 2], [3]]\', as: row, collect: steps.i.items, steps: [{ step: i, each: row, as: n, parallel: 2, collect: "n * 10 + index", steps: [{ step: x, note: "${size(row)}" }] }] }\n',
    );
    await it.run();
    expect(outcomeOf(it, "o")).toMatchObject({ items: [[10, 21], [30]] });
    expect(
      it
        .entries()
        .filter((entry) => entry.type === "item")
        .map((entry) => (entry as { path: string }).path)
        .sort(),
    ).toEqual(["o[0]", "o[0]/i[0]", "o[0]/i[1]", "o[1]", "o[1]/i[0]"]);
  });

  it("keeps a long list by its digest, and the constants that it was made of; a run whose list is another one is held", async () => {
    const file =
      '  - { step: l, each: "lists.range(5000).map(n, n + constants.from)", parallel: 3, steps: [{ step: g, request: "GET https://a.example/${item}" }] }\n';
    const it = world(file);
    it.constants = { from: 0 };
    it.beforeSend = () => it.sent.length === 50 && it.pause.abort();
    expect((await it.run()).state).toBe("queued");
    expect(JSON.stringify(it.rows.map((row) => row.open)).length).toBeLessThan(200_000);
    const again = world(file);
    again.rows = [...it.rows];
    again.constants = { from: 1 };
    // The constant is another one by now: the loop goes on with the one that it began with.
    expect((await again.run()).state).toBe("succeeded");
    expect(again.sent.map(({ url }) => url)).toContain("https://a.example/4999");
    expect(again.sent.map(({ url }) => url)).not.toContain("https://a.example/5000");
    const changed = world(file);
    changed.rows = it.rows.map((row) => {
      if (row.entry.type !== "begun" || row.entry.kind !== "each") return row;
      return { ...row, open: row.open.replace('"from":0', '"from":1') };
    });
    expect((await changed.run()).state).toBe("parked");
    expect(changed.entries().at(-1)).toMatchObject({
      type: "rested",
      state: "parked",
      reason: expect.stringContaining("not the one"),
    });
    expect(changed.sent).toHaveLength(0);
  });

  it("lets other items go on when one is unsure, and is unsure when they are done", async () => {
    const it = world(
      '  - { step: l, each: lists.range(4), parallel: 2, steps: [{ step: p, request: "POST https://a.example/${item}" }] }\n',
      (request) => (request.url.endsWith("/1") ? "cut" : { status: 201 }),
    );
    expect((await it.run()).state).toBe("unsure");
    expect(it.sent.map((request) => request.url.at(-1)).sort()).toEqual(["0", "1", "2", "3"]);
    it.add({ type: "decided", at: it.time, path: "l[1]/p", decision: "happened", by: "Marit" });
    expect((await it.run()).state).toBe("succeeded");
    expect(it.sent).toHaveLength(4);
  });

  it("in order stops at an unsure item", async () => {
    const it = world(
      '  - { step: l, each: lists.range(4), steps: [{ step: p, request: "POST https://a.example/${item}" }] }\n',
      (request) => (request.url.endsWith("/1") ? "cut" : { status: 201 }),
    );
    expect((await it.run()).state).toBe("unsure");
    expect(it.sent).toHaveLength(2);
  });
});

describe("a journal of another format", () => {
  it("is parked, and nothing is guessed", async () => {
    const it = world("  - { step: a, request: GET https://a.example }\n");
    it.start();
    const [row] = it.rows;
    it.rows = [
      {
        entry: row?.entry as Entry,
        open: (row?.open as string).replace('"format":2', '"format":99'),
        sealed: undefined,
      },
    ];
    expect((await it.run()).state).toBe("parked");
    expect(it.sent).toHaveLength(0);
  });
});
