import type { Entry } from "@copper-kettle/core";
import { describe, expect, it } from "vitest";
import { mostMoments, Playback } from "./playback.js";
import { Waterfall } from "./waterfall.js";

const entries = (list: object[]): Entry[] => list as Entry[];
const response = (status: number): object => ({ status, headers: {}, body: null, url: "" });
const played = (list: object[]): Playback => {
  const made = new Waterfall([]);
  made.take(entries(list));
  return new Playback(made.rows.values());
};

describe("a run that is played", () => {
  it("shows at each moment what had begun, what went on, and what had ended", () => {
    const run = played([
      { type: "begun", at: 0, path: "huts", kind: "request", data: {} },
      { type: "sending", at: 10, path: "huts", attempt: 1 },
      { type: "attempt", at: 30, sentAt: 10, path: "huts", attempt: 1, response: response(429), wait: 50 },
      { type: "sending", at: 80, path: "huts", attempt: 2 },
      { type: "attempt", at: 90, sentAt: 80, path: "huts", attempt: 2, response: response(200) },
      { type: "ended", at: 95, path: "huts", kind: "request" },
      { type: "begun", at: 95, path: "round[0]/post", kind: "note", data: {} },
      { type: "begun", at: 96, path: "round[1]/post", kind: "note", data: {} },
      { type: "ended", at: 97, path: "round[0]/post", kind: "note" },
      { type: "ended", at: 99, path: "round[1]/post", kind: "note", error: { code: "x", message: "y" } },
    ]);
    expect(run.moments).toEqual([0, 10, 30, 80, 95, 96, 97, 99]);
    const huts = run.moments.map((time) => run.at("huts", time)?.words);
    expect(huts).toEqual([
      "under way",
      "is being sent",
      "backs off",
      "is being sent",
      ...Array.from({ length: 4 }, () => "succeeded"),
    ]);
    expect(run.moments.map((time) => run.at("post", time)?.words)).toEqual([
      undefined,
      undefined,
      undefined,
      undefined,
      "0 done, 1 under way",
      "0 done, 2 under way",
      "1 done, 1 under way",
      "2 done, 1 failed",
    ]);
    expect(run.at("post", 99)?.state).toBe("failed");
    expect(run.after(95)).toBe("95 ms");
  });

  it("has no more moments than one sits through, the last one among them", () => {
    const list = Array.from({ length: 5_000 }, (_, index) => [
      { type: "begun", at: index * 3, path: `round[${index}]/a`, kind: "note", data: {} },
      { type: "ended", at: index * 3 + 1, path: `round[${index}]/a`, kind: "note" },
    ]).flat();
    const run = played(list);
    expect(run.moments.length).toBeLessThanOrEqual(mostMoments + 1);
    expect(run.at("a", run.moments.at(-1) ?? 0)?.words).toBe("5000 done");
    expect(played([]).moments).toEqual([]);
  });
});
