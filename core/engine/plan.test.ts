import { describe, expect, it } from "vitest";
import type { RunOptions } from "./options.js";
import { outcomeOf, urls, world } from "./steps/kit.test.kit.js";
import type { World } from "./fakes.test.kit.js";

const file = `  - { step: guest, request: "GET https://a.example/guests" }
  - { step: made, request: "POST https://a.example/guests", body: { json: { hut: "\${steps.guest.body.hut}" } } }
  - step: round
    each: steps.guest.body.list
    as: n
    collect: steps.inner.body
    steps:
      - step: sure
        if: n > 100
        then: [{ step: inner, request: "POST https://a.example/n/\${n}" }]
  - { step: nap, wait: { for: 5h } }
  - { step: stored, remember: { key: k, values: { seen: true } } }
  - { step: told, note: "\${default(steps.made.body.id, 'none')} \${run.rehearsal} \${remembered('k').?seen.orValue(false)}" }
`;
const planned = (options: RunOptions, guest: object = { hut: "corrie", list: [1, 2] }): World => {
  const it = world(file, ({ method, url }) =>
    method === "GET" ? { status: 200, body: guest } : { status: 201, body: { id: url.slice(18) } },
  );
  it.options = options;
  return it;
};

describe("a rehearsal", () => {
  it("sends reading calls, holds all others back, waits for nothing and keeps nothing", async () => {
    const it = planned({ rehearsal: true }, { hut: "corrie", list: [101] });
    expect((await it.run()).state).toBe("succeeded");
    expect(urls(it)).toEqual(["/guests"]);
    expect(it.waits).toEqual([]);
    expect(it.remembered).toEqual({});
    const fixed = it.entries().filter((entry) => entry.type === "attempt" && entry.pretended === "rehearsal");
    expect(fixed.map((entry) => (entry as { path: string }).path)).toEqual(["made", "round[0]/inner"]);
  });

  it("says so to expressions, and shows later steps what would have been remembered", async () => {
    const it = planned(
      { rehearsal: true, fixed: { made: { body: { id: "g-1" } } } },
      { hut: "corrie", list: [] },
    );
    await it.run();
    expect(outcomeOf(it, "told")).toBe("g-1 true true");
  });
});

describe("what a rehearsal answers with, where no document has a sample", () => {
  it("is what the step last answered", async () => {
    const it = planned(
      { rehearsal: true, responses: { made: { status: 201, headers: {}, body: { id: "g-12" } } } },
      { hut: "corrie", list: [] },
    );
    expect((await it.run()).state).toBe("succeeded");
    expect(outcomeOf(it, "told")).toBe("g-12 true true");
    expect(urls(it)).toEqual(["/guests"]);
  });

  it("is the least that counts as success, where it never did", async () => {
    const it = world(
      '  - { step: made, request: "POST https://a.example/guests", success: status == 202 }\n  - { step: told, note: "${steps.made.status}" }\n',
    );
    it.options = { rehearsal: true };
    expect((await it.run()).state).toBe("succeeded");
    expect(outcomeOf(it, "told")).toBe(202);
    expect(it.sent).toEqual([]);
  });
});

describe("one step alone", () => {
  it("takes what is fixed for the steps before it, and runs nothing else", async () => {
    const it = planned({ only: { step: "made" }, fixed: { guest: { body: { hut: "eyrie" } } } });
    expect((await it.run()).state).toBe("succeeded");
    expect(it.sent.map(({ method, body }) => `${method} ${body as string}`)).toEqual([
      'POST {"hut":"eyrie"}',
    ]);
  });

  it("reads what is fixed for steps inside of a choice before it, and the variables that they set", async () => {
    const chosen = `  - { step: guest, request: "GET https://a.example/guests" }
  - step: known
    if: size(steps.guest.body.items) > 0
    then: [{ step: old, set: { hut: "\${steps.guest.body.items[0].hut}" } }]
    else: [{ step: made, request: "POST https://a.example/guests" }, { step: fresh, set: { hut: "\${steps.made.body.hut}" } }]
  - { step: told, request: "POST https://a.example/posts", body: { json: { hut: "\${variables.hut}", id: "\${default(steps.made.body.id, null)}" } } }
`;
    const it = world(chosen);
    it.options = {
      only: { step: "told" },
      fixed: { known: null, made: { body: { id: "g-9", hut: "eyrie" } }, fresh: { hut: "eyrie" } },
    };
    expect((await it.run()).state).toBe("succeeded");
    expect(it.sent.map(({ body }) => body)).toEqual(['{"hut":"eyrie","id":"g-9"}']);
  });

  it("inside of a loop and a choice, for one item, whatever the choice would be", async () => {
    const it = planned({ only: { step: "inner", item: 1 }, fixed: { guest: { body: { list: [5, 6, 7] } } } });
    expect((await it.run()).state).toBe("succeeded");
    expect(urls(it)).toEqual(["/n/6"]);
  });

  it("without what it reads says what is missing", async () => {
    expect(await planned({ only: { step: "made" } }).run()).toMatchObject({
      state: "failed",
      error: { step: "made", code: "expression" },
    });
  });
});

it("a run up to a step ends after it", async () => {
  const it = planned({ to: "made" });
  expect((await it.run()).state).toBe("succeeded");
  expect(urls(it)).toEqual(["/guests", "/guests"]);
});

describe("a breakpoint", () => {
  it("stops before a step for a look; what was changed there holds from then on, also after a stop", async () => {
    const it = planned({ breakpoints: ["made"], to: "made" });
    expect(await it.run()).toMatchObject({ state: "waiting" });
    expect(it.count("POST")).toBe(0);
    it.add({
      type: "decided",
      decision: "continue",
      at: it.time,
      path: "made",
      by: "Marit",
      changes: [{ place: ["steps", "guest", "body", "hut"], value: "kestrel" }],
    });
    expect((await it.run()).state).toBe("succeeded");
    expect(it.sent.at(-1)?.body).toBe('{"hut":"kestrel"}');
  });

  it("may stand at one item of a loop", async () => {
    const it = planned({ breakpoints: ["round[1]/sure"] }, { list: [101, 102], hut: "x" });
    expect(await it.run()).toMatchObject({ state: "waiting" });
    expect(urls(it)).toEqual(["/guests", "/guests", "/n/101"]);
  });

  const pausedAt = async (it: World): Promise<string> => {
    const run = await it.run();
    return run.state === "waiting"
      ? (it.entries().findLast(({ type }) => type === "rested") as { path: string }).path
      : run.state;
  };
  const goOn = (it: World, path: string, next?: "step" | "item"): void =>
    it.add({
      type: "decided",
      decision: "continue",
      at: it.time,
      path,
      by: "Marit",
      ...(next ? { next } : {}),
    });

  it("may stand at an item by its number, and where an expression is true", async () => {
    const guest = { list: [101, 102, 103], hut: "x" };
    expect(await pausedAt(planned({ breakpoints: [{ step: "inner", item: 2 }] }, guest))).toBe(
      "round[2]/inner",
    );
    const it = planned({ breakpoints: [{ step: "inner", when: "n == 102 && has(steps.made)" }] }, guest);
    expect(await pausedAt(it)).toBe("round[1]/inner");
    expect(urls(it)).toEqual(["/guests", "/guests", "/n/101"]);
    // What gives neither true nor false stops, too: nobody is passed over without a word.
    const wrong = planned({ breakpoints: [{ step: "inner", when: "n.hut" }] }, guest);
    expect(await pausedAt(wrong)).toBe("round[0]/inner");
    expect(wrong.entries().at(-1)).toMatchObject({
      waits: [{ reason: "Paused before round[0]/inner, since n.hut gives neither true nor false here." }],
    });
  });

  it("goes on to the next step, to the next item, or to the next breakpoint", async () => {
    const it = planned({ breakpoints: ["sure"], to: "round" }, { list: [101, 102, 103], hut: "x" });
    expect(await pausedAt(it)).toBe("round[0]/sure");
    goOn(it, "round[0]/sure", "step");
    expect(await pausedAt(it)).toBe("round[0]/inner");
    goOn(it, "round[0]/inner", "item");
    expect(await pausedAt(it)).toBe("round[1]/sure");
    goOn(it, "round[1]/sure", "item");
    expect(await pausedAt(it)).toBe("round[2]/sure");
    expect(urls(it)).toEqual(["/guests", "/guests", "/n/101", "/n/102"]);
    goOn(it, "round[2]/sure");
    expect(await pausedAt(it)).toBe("succeeded");
    expect(urls(it)).toEqual(["/guests", "/guests", "/n/101", "/n/102", "/n/103"]);
  });
});

describe("a fault put on a step for one run", () => {
  it("answers instead of the API, as often as it is told", async () => {
    const it = planned({ to: "made", faults: [{ step: "guest", status: 503, times: 2 }] });
    expect((await it.run()).state).toBe("succeeded");
    const attempts = it.entries().filter((entry) => entry.type === "attempt" && entry.path === "guest");
    expect(attempts).toMatchObject([
      { pretended: "fault" },
      { pretended: "fault" },
      { response: { status: 200 } },
    ]);
    expect(urls(it)).toEqual(["/guests", "/guests"]);
  });

  it("may lose the response of what was sent: a call that writes is unsure, one that reads is sent again", async () => {
    for (const failure of ["cut", "timeout"] as const) {
      const it = planned({ to: "made", faults: [{ step: "made", failure, times: 1 }] });
      const stopped = await it.run();
      expect(stopped).toMatchObject({ state: "unsure" });
      expect(it.sent.filter(({ method }) => method === "POST")).toHaveLength(1);
      expect(
        it
          .entries()
          .filter(({ type }) => type === "attempt" || type === "unsure")
          .at(-1),
      ).toMatchObject({
        type: "unsure",
        path: "made",
      });
    }
    const reading = planned({ to: "guest", faults: [{ step: "guest", failure: "cut", times: 1 }] });
    expect((await reading.run()).state).toBe("succeeded");
    expect(reading.sent.filter(({ method }) => method === "GET")).toHaveLength(2);
  });

  it("may be a connection that fails", async () => {
    const it = planned({ faults: [{ step: "guest", failure: "dns", times: 9 }] });
    expect(await it.run()).toMatchObject({ state: "failed", error: { code: "dns" } });
    expect(it.sent).toEqual([]);
  });
});
