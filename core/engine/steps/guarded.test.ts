import { describe, expect, it } from "vitest";
import type { Responder } from "../fakes.test.kit.js";
import { ended, finished, outcomeOf, world } from "./kit.test.kit.js";

/** A API that refuses what is called `no`. */
const refusing: Responder = ({ url }) =>
  url.includes("no") ? { status: 403, body: { why: "closed" } } : { status: 200, body: 1 };

describe("only-if", () => {
  it("leaves a step out, whose outcome is then absent", async () => {
    const it = world(
      "  - { step: a, only-if: 1 > 2, request: POST https://a.example }\n  - { step: b, only-if: 2 > 1, note: \"${default(steps.a, 'absent')}\" }\n",
    );
    expect((await it.run()).state).toBe("succeeded");
    expect(it.sent).toEqual([]);
    expect(ended(it, "a")?.skipped).toBe('"only-if" (1 > 2) does not hold.');
    expect(outcomeOf(it, "b")).toBe("absent");
  });

  it("is asked once: after a stop nothing that began or was left out is asked again", async () => {
    const file =
      "  - { step: a, only-if: constants.open, request: POST https://a.example/a }\n  - { step: b, only-if: '!constants.open', request: POST https://a.example/b }\n  - { step: c, wait: { for: 1h } }\n";
    const it = world(file);
    it.constants = { open: true };
    expect((await it.run()).state).toBe("waiting");
    it.constants = { open: false };
    expect((await it.runToEnd()).state).toBe("succeeded");
    expect(it.sent.map(({ url }) => url)).toEqual(["https://a.example/a"]);
  });

  it("that is neither true nor false fails the step", async () => {
    expect(await world("  - { step: a, only-if: '5', note: x }\n").run()).toMatchObject({
      state: "failed",
      error: { step: "a", field: "only-if" },
    });
  });
});

describe("keep-going", () => {
  it("the run goes on, says how many problems there were, and later steps see the failure", async () => {
    const it = world(
      '  - { step: a, request: GET https://a.example/no, keep-going: true }\n  - { step: b, note: "${steps.a.failed} ${steps.a.error.status}" }\n',
      refusing,
    );
    expect((await it.run()).state).toBe("succeeded");
    expect(outcomeOf(it, "b")).toBe("true 403");
    expect(finished(it)?.problems).toBe(1);
  });

  it("counts problems of loop items once, whatever was stopped in between", async () => {
    const it = world(
      "  - { step: l, each: lists.range(3), steps: [{ step: a, request: POST https://a.example/no, keep-going: true }, { step: w, wait: { for: 1m } }] }\n",
      refusing,
    );
    expect((await it.runToEnd()).state).toBe("succeeded");
    expect(finished(it)?.problems).toBe(3);
    expect(it.count("POST")).toBe(3);
  });
});

describe("catch", () => {
  it("runs with the error in scope, sees what came before, and is over when it has run", async () => {
    const it = world(
      '  - { step: a, set: { n: 7 } }\n  - step: b\n    request: GET https://a.example/no\n    catch:\n      - { step: c, note: "${error.code} ${error.step} ${error.status} ${error.body.why} ${variables.n} ${steps.a.n}" }\n  - { step: d, note: "${default(steps.b.error.code, \'-\')}" }\n',
      refusing,
    );
    expect((await it.run()).state).toBe("succeeded");
    expect(outcomeOf(it, "b!catch/c")).toBe("response b 403 closed 7 7");
    expect(outcomeOf(it, "d")).toBe("response");
    expect(finished(it)?.problems).toBe(1);
  });

  it("is left alone where nothing failed, and a failure in it fails the run", async () => {
    const good = world(
      "  - { step: a, request: GET https://a.example/yes, catch: [{ step: c, note: x }] }\n",
      refusing,
    );
    expect((await good.run()).state).toBe("succeeded");
    expect(outcomeOf(good, "a!catch/c")).toBeUndefined();
    const bad = world(
      "  - { step: a, request: GET https://a.example/no, catch: [{ step: c, request: GET https://a.example/no2 }] }\n",
      refusing,
    );
    expect(await bad.run()).toMatchObject({ state: "failed", error: { step: "a!catch/c" } });
  });

  it("goes on within it after a sleep, and does nothing twice", async () => {
    const it = world(
      "  - step: a\n    request: POST https://a.example/no\n    catch:\n      - { step: b, request: POST https://a.example/undo }\n      - { step: c, wait: { for: 1h } }\n      - { step: d, request: POST https://a.example/tell }\n",
      refusing,
    );
    expect((await it.run()).state).toBe("waiting");
    expect((await it.runToEnd()).state).toBe("succeeded");
    expect(it.sent.map(({ url }) => url.split("/").at(-1))).toEqual(["no", "undo", "tell"]);
  });

  it("of a group catches what failed in any of its steps", async () => {
    const it = world(
      "  - step: g\n    group:\n      steps:\n        - { step: a, request: POST https://a.example/yes }\n        - { step: b, request: POST https://a.example/no }\n        - { step: c, request: POST https://a.example/never }\n    catch:\n      - { step: undo, request: POST https://a.example/undo, only-if: 'default(steps.a.status, 0) == 200' }\n",
      refusing,
    );
    expect((await it.run()).state).toBe("succeeded");
    expect(it.sent.map(({ url }) => url.split("/").at(-1))).toEqual(["yes", "no", "undo"]);
    expect(ended(it, "g")?.error?.step).toBe("b");
  });

  it("does not see a call whose fate is unknown", async () => {
    const it = world(
      "  - { step: a, request: POST https://a.example, catch: [{ step: c, note: x }] }\n",
      () => "cut",
    );
    expect((await it.run()).state).toBe("unsure");
    expect(outcomeOf(it, "a!catch/c")).toBeUndefined();
  });
});

describe("cases", () => {
  const file = (n: number) =>
    `  - { step: s, set: { n: ${n} } }\n  - step: c\n    cases:\n      - { if: variables.n > 30, then: [{ step: a, note: bad }] }\n      - { if: variables.n < 10, then: [{ step: b, note: good }] }\n    else: [{ step: e, note: fair }]\n`;

  it.each([
    [31, "a", 0],
    [30, "e", "else"],
    [9, "b", 1],
  ])("%s takes %s", async (n, step, chose) => {
    const it = world(file(n));
    expect((await it.run()).state).toBe("succeeded");
    expect(["a", "b", "e"].filter((name) => outcomeOf(it, name) !== undefined)).toEqual([step]);
    expect(outcomeOf(it, "c")).toEqual({ chose });
  });

  it("says which condition is at fault", async () => {
    const it = world("  - step: c\n    cases:\n      - { if: 1 > 2 }\n      - { if: '5' }\n");
    expect(await it.run()).toMatchObject({ state: "failed", error: { step: "c", field: "cases[1].if" } });
  });
});
