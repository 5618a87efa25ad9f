import { describe, expect, it } from "vitest";
import { compareRuns } from "./compare.js";
import type { World } from "./fakes.test.kit.js";
import type { Entry } from "./entries.js";
import type { RunOptions } from "./options.js";
import { world } from "./steps/kit.test.kit.js";

const file = `  - { step: guest, request: "GET https://a.example/guests", retry: { waits: [1s] } }
  - step: known
    if: size(steps.guest.body.items) > 0
    then: [{ step: old, note: there }]
    else: [{ step: made, request: "POST https://a.example/guests" }]
  - { step: told, note: "\${size(steps.guest.body.items)}" }
`;
const ran = async (items: unknown[], refusals = 0, options: RunOptions = {}): Promise<World> => {
  const it = world(file, ({ method }, times) =>
    method === "POST"
      ? { status: 500 }
      : times < refusals
        ? { status: 503 }
        : { status: 200, body: { items } },
  );
  it.options = options;
  await it.run();
  return it;
};

describe("two runs, step by step", () => {
  it("say what differed in values, in the path, in attempts, in the order of the steps", async () => {
    const steps = compareRuns((await ran([{ id: "g-1" }])).entries(), (await ran([], 1)).entries());
    expect(steps.map(({ path, first, second, attempts }) => [path, first, second, ...attempts])).toEqual([
      ["", "succeeded", "failed", 0, 0],
      ["guest", "succeeded", "succeeded", 1, 2],
      ["known", "succeeded", "not ended", 0, 0],
      ["made", undefined, "failed", 0, 1],
      ["old", "succeeded", undefined, 0, 0],
      ["told", "succeeded", undefined, 0, 0],
    ]);
    const [, guest, known, made] = steps;
    expect(guest?.differences).toContainEqual({ place: "response.body.items[0]", first: { id: "g-1" } });
    expect(guest?.took).toEqual([10, 1_020]);
    expect(known?.differences).toContainEqual({ place: "begun.chose", first: "then", second: "else" });
    expect(made?.took).toEqual([null, 10]);
  });

  it("say of a call that a rehearsal did not send that it was not sent, and nothing of what it would have given", async () => {
    const steps = compareRuns((await ran([])).entries(), (await ran([], 0, { rehearsal: true })).entries());
    const made = steps.find(({ path }) => path === "made");
    expect(made).toMatchObject({ first: "failed", second: "not sent", attempts: [1, 0] });
    expect(JSON.stringify(made?.differences)).not.toContain("outcome");
  });

  it("compares runs of many items in time with their number", () => {
    const many: Entry[] = Array.from({ length: 100_000 }, (_, index) => ({
      type: "ended",
      at: index,
      path: `round[${index}]/post`,
      kind: "note",
      outcome: 1,
    }));
    const before = process.cpuUsage().user;
    expect(compareRuns([], many)).toHaveLength(100_000);
    // With the square of their number it is minutes.
    expect(process.cpuUsage().user - before).toBeLessThan(5_000_000);
  });

  it("that did the same differ in nothing", async () => {
    const [one, other] = [await ran([1]), await ran([1])];
    const steps = compareRuns(one.entries(), other.entries());
    expect(
      steps.every(({ first, second, differences }) => first === second && differences.length === 0),
    ).toBe(true);
  });
});
