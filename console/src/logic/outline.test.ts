import type { Entry, Wait } from "@copper-kettle/core";
import { describe, expect, it } from "vitest";
import { isInLoop } from "./outline.js";
import { Waterfall } from "./waterfall.js";

const step = (name: string, kind: string, depth: number) => ({
  name,
  kind,
  depth,
  title: null,
  line: 1,
  calls: null,
});
const outline = [
  step("huts", "request", 0),
  step("round", "each", 0),
  step("known", "if", 1),
  step("post", "request", 2),
  step("told", "note", 1),
  step("choice", "if", 0),
  step("made", "request", 1),
  step("last", "request", 0),
];

describe("whether a step stands in a loop", () => {
  it.each([
    ["huts", false],
    ["round", false],
    ["known", true],
    ["post", true],
    ["told", true],
    ["choice", false],
    ["made", false],
    ["last", false],
    ["nowhere", false],
  ])("%s: %s", (name, inside) => {
    expect(isInLoop(outline, name)).toBe(inside);
  });
});

describe("the waterfall of what a run waits for, and of what it did not send", () => {
  const begun = (at: number, path: string, kind = "request"): Entry => ({
    type: "begun",
    at,
    path,
    kind,
    data: {},
  });
  const wait = (kind: Wait["kind"], name: string, path: string, reason: string): Wait => ({
    kind,
    name,
    path,
    reason,
  });
  const made = (...entries: Entry[]): Waterfall => {
    const waterfall = new Waterfall(outline);
    waterfall.take(entries);
    return waterfall;
  };

  it("draws a wait for the rate limit until the call goes", () => {
    const waterfall = made(
      begun(100, "huts"),
      { type: "limited", at: 110, path: "huts", until: 900 },
      {
        type: "attempt",
        at: 950,
        path: "huts",
        attempt: 1,
        sentAt: 900,
        response: { status: 200, headers: {}, body: null, url: "" },
      },
    );
    expect(waterfall.rows.get("huts")?.segments.map(({ kind, from, to }) => [kind, from, to])).toEqual([
      ["rate-limit", 110, 900],
      ["sending", 900, 950],
    ]);
  });

  it("shows who sleeps for a rate limit, and who waits for something else", () => {
    const waterfall = made(
      begun(100, "huts"),
      {
        type: "rested",
        at: 120,
        state: "waiting",
        waits: [wait("rate-limit", "boards", "huts", "Waits for the rate limit of boards.")],
      },
      begun(200, "last"),
      {
        type: "rested",
        at: 220,
        state: "waiting",
        waits: [
          wait("lock", "guest", "last", "Waits for the lock guest."),
          wait("run", "r-1", "post", "Waits for a run of pots."),
        ],
      },
    );
    expect(waterfall.rows.get("huts")).toMatchObject({
      state: "waiting",
      segments: [{ kind: "rate-limit", from: 120 }],
    });
    expect(waterfall.rows.get("last")).toMatchObject({
      state: "waiting",
      segments: [{ kind: "wait", label: "Waits for the lock guest." }],
    });
    // Each wait of a run is shown, not only the first.
    expect(waterfall.rows.get("post")).toMatchObject({ state: "waiting" });
  });

  it("shows a step where a run stopped for a look, though it has not begun", () => {
    const waterfall = made({
      type: "rested",
      at: 50,
      state: "waiting",
      waits: [wait("breakpoint", "made", "made", "Stopped before made, at a breakpoint.")],
    });
    expect(waterfall.rows.get("made")).toMatchObject({ state: "waiting", begun: undefined });
  });

  it("keeps what was not sent as an attempt, marked so", () => {
    const waterfall = made(begun(100, "made"), {
      type: "attempt",
      at: 101,
      path: "made",
      attempt: 1,
      sentAt: 100,
      pretended: "rehearsal",
      response: { status: 201, headers: {}, body: { id: "g-3" }, url: "" },
    });
    expect(waterfall.rows.get("made")?.attempts).toMatchObject([{ pretended: "rehearsal" }]);
  });

  it("marks an item that failed though the loop goes on", () => {
    const waterfall = made(
      begun(100, "round", "each"),
      { type: "item", at: 110, path: "round[0]" },
      { type: "item", at: 120, path: "round[1]", error: { code: "response", message: "No." } },
    );
    expect([...(waterfall.rows.get("round")?.items ?? [])]).toEqual([
      [0, "succeeded"],
      [1, "failed"],
    ]);
  });
});
