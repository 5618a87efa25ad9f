import { describe, expect, it } from "vitest";
import type { Entry } from "./entries.js";
import { emptySummary, summarise } from "./summary.js";

const summaryOf = (...entries: Entry[]) => {
  const summary = emptySummary();
  for (const entry of entries) summarise(summary, entry);
  return summary;
};
const begun: Entry = { type: "begun", at: 5, path: "a", kind: "request", data: {} };
const sending: Entry = { type: "sending", at: 6, path: "a", attempt: 1 };
const unsure: Entry = { type: "unsure", at: 7, path: "a", attempt: 1, reason: "cut" };

describe("what a list shows of a run", () => {
  it("is queued until something has begun", () => {
    expect(summaryOf().state).toBe("queued");
    expect(summaryOf(begun)).toMatchObject({ state: "running", startedAt: 5 });
  });

  it("counts each request that was sent, answered or not", () => {
    const attempt: Entry = { type: "attempt", at: 8, path: "a", attempt: 1, sentAt: 6 };
    expect(summaryOf(begun, sending, attempt, sending, unsure).calls).toBe(2);
  });

  it("waits until a time, and runs again when it acts", () => {
    const rested: Entry = { type: "rested", at: 8, state: "waiting", until: 900 };
    expect(summaryOf(begun, rested)).toMatchObject({ state: "waiting", wakeAt: 900 });
    expect(summaryOf(begun, rested, sending)).toMatchObject({ state: "running", wakeAt: null });
  });

  it("goes on to its end if it was asked to stop, though it came to rest", () => {
    const stopping: Entry = { type: "stopping", at: 8, by: "Marit" };
    const waits = [{ path: "a", kind: "lock", name: "guest", reason: "" }] as const;
    const rested: Entry = { type: "rested", at: 8, state: "waiting", until: 900, waits: [...waits] };
    expect(summaryOf(begun, stopping)).toMatchObject({ state: "running", stopping: true });
    for (const order of [
      [rested, stopping],
      [stopping, rested],
    ])
      expect(summaryOf(begun, ...order)).toMatchObject({ state: "queued", wakeAt: null, waits: [] });
  });

  it("is unsure until somebody decides, step by step", () => {
    const other: Entry = { ...unsure, path: "b" };
    const rested: Entry = { type: "rested", at: 8, state: "unsure" };
    expect(summaryOf(begun, unsure, other, rested)).toMatchObject({
      state: "unsure",
      unsure: [{ path: "a" }, { path: "b" }],
    });
    const decided: Entry = { type: "decided", at: 9, path: "a", decision: "skip", by: "Marit" };
    expect(summaryOf(begun, unsure, other, rested, decided)).toMatchObject({
      state: "queued",
      unsure: [{ path: "b" }],
    });
    expect(summaryOf(begun, unsure, unsure).unsure).toHaveLength(1);
  });

  it("ends with its state, error and message", () => {
    const finished: Entry = {
      type: "finished",
      at: 20,
      state: "failed",
      problems: 0,
      error: { code: "response", message: "no" },
      message: "over",
    };
    expect(summaryOf(begun, finished)).toMatchObject({
      state: "failed",
      endedAt: 20,
      error: { code: "response" },
      message: "over",
    });
    expect(summaryOf({ type: "rested", at: 1, state: "parked", reason: "another format" })).toMatchObject({
      state: "parked",
      message: "another format",
    });
  });
});
