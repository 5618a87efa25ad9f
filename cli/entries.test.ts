import type { Entry } from "@copper-kettle/core";
import { describe, expect, it, vi } from "vitest";
import { entryLine } from "./entries.js";
import { brief, stateText, timeText } from "./output.js";
import { table } from "./table.js";

const line = (entry: object): string | undefined =>
  entryLine({ at: Date.UTC(2027, 2, 1, 5, 0, 0, 7), ...entry } as Entry);

describe("an entry as a line for people", () => {
  it.each<[object, string]>([
    [
      { type: "started", workflow: "greet-guest", version: 3, inputs: { email: "odd@huts.example" } },
      'started greet-guest version 3 with {"email":"odd@huts.example"}',
    ],
    [
      { type: "started", workflow: "greet-guest", version: 0, inputs: {} },
      "started greet-guest (draft) with {}",
    ],
    [
      {
        type: "begun",
        path: "guest",
        kind: "request",
        data: { request: { method: "GET", url: "https://stays.example/guests" } },
      },
      "guest  GET https://stays.example/guests",
    ],
    [{ type: "begun", path: "known", kind: "if", data: { chose: "else" } }, 'known  takes "else"'],
    [{ type: "begun", path: "round", kind: "each", data: { length: 12 } }, "round  12 items"],
    [
      { type: "begun", path: "nap", kind: "wait", data: { until: Date.UTC(2027, 2, 1, 6) } },
      "nap  waits until 2027-03-01T06:00:00.000Z",
    ],
    [
      {
        type: "attempt",
        path: "a",
        attempt: 1,
        sentAt: Date.UTC(2027, 2, 1, 5, 0, 0, 0),
        response: { status: 201, headers: {}, body: { id: "g-1" }, url: "" },
      },
      'a  201 7 ms  {"id":"g-1"}',
    ],
    [
      {
        type: "attempt",
        path: "a",
        attempt: 1,
        sentAt: Date.UTC(2027, 2, 1, 5),
        response: { status: 429, headers: {}, body: null, url: "" },
        wait: 7_000,
        asked: true,
      },
      "a  429 (Too Many Requests) 7 ms  null; again in 7 s, as it asks",
    ],
    [
      {
        type: "attempt",
        path: "a",
        attempt: 2,
        sentAt: Date.UTC(2027, 2, 1, 5),
        failure: { kind: "dns", message: "The name is not known.", sent: false },
        wait: 1_000,
      },
      "a  no response (dns): The name is not known.; again in 1 s",
    ],
    [{ type: "unsure", path: "made", attempt: 1, reason: "It was cut." }, "made  ? unsure: It was cut."],
    [{ type: "decided", path: "made", decision: "again", by: "Marit" }, "made  decided by Marit: again"],
    [
      { type: "ended", path: "a", kind: "request", error: { code: "response", message: "It sent 404." } },
      "a  ✗ failed: It sent 404.",
    ],
    [{ type: "ended", path: "a", kind: "request", skipped: "Skipped by hand." }, "a  Skipped by hand."],
    [{ type: "ended", path: "r", kind: "respond", outcome: { status: 200 } }, 'r  responds {"status":200}'],
    [{ type: "ended", path: "n", kind: "note", outcome: "12 huts were told" }, "n  12 huts were told"],
    [
      { type: "rested", state: "waiting", until: Date.UTC(2027, 2, 1, 6) },
      "… waiting until 2027-03-01T06:00:00.000Z",
    ],
    [{ type: "rested", state: "parked", reason: "another format" }, "! parked: another format"],
    [{ type: "stopping", by: "Tobias" }, "stopped by Tobias"],
    [{ type: "finished", state: "failed", problems: 0, error: { code: "x", message: "no" } }, "✗ failed: no"],
    [{ type: "finished", state: "succeeded", problems: 0, message: "enough" }, "✓ succeeded: enough"],
  ])("%j", (entry, text) => {
    expect(line(entry)).toBe(`05:00:00.007  ${text}`);
  });

  it.each([
    { type: "sending", path: "a", attempt: 1 },
    { type: "secrets", values: ["•••"], places: [] },
    { type: "item", path: "a[0]" },
    { type: "ended", path: "a", kind: "request" },
  ])("says nothing of what tells people nothing: %j", (entry) => {
    expect(line(entry)).toBeUndefined();
  });
});

describe("output", () => {
  it("has a mark of its own for each state", () => {
    const states = [
      "succeeded",
      "failed",
      "unsure",
      "parked",
      "running",
      "waiting",
      "queued",
      "stopped",
      "skipped",
    ];
    expect(new Set(states.map((state) => stateText(state)[0])).size).toBe(states.length);
    for (const state of states) expect(stateText(state)).toContain(state);
    expect(stateText("other")).toBe("other");
  });

  it("makes tables without lines or blanks at the ends, and nothing of an empty one in a pipe", () => {
    expect(
      table(
        ["NAME", ""],
        [
          ["corrie", "open"],
          ["gannet-rock", ""],
        ],
        "none",
      ),
    ).toBe("NAME\ncorrie       open\ngannet-rock");
    expect(table(["NAME"], [], "There are none.")).toBe("");
  });

  it("folds the widest columns where a row would not fit, at words, and keeps a time in one piece", () => {
    const rows = [
      ["gannet-rock", "open from April to October, closed in storms", "7", "2027-03-01 05:06:07"],
    ];
    const columns = ["NAME", "WHEN", { numbers: "BEDS" }, { times: "SEEN" }];
    const fitted = (width: string) => {
      vi.stubEnv("COLUMNS", width);
      return table(columns, rows, "none").split("\n");
    };
    expect(fitted("200")).toHaveLength(2);
    expect(fitted("200")[1]).toMatch(/^gannet-rock {2}open .* storms {5}7 {2}2027-03-01 05:06:07$/);
    const folded = fitted("60");
    expect(Math.max(...folded.map((line) => line.length))).toBeLessThanOrEqual(60);
    expect(folded.slice(1)).toEqual([
      "gannet-rock  open from April to       7  2027-03-01 05:06:07",
      "             October, closed in",
      "             storms",
    ]);
    const tight = fitted("44");
    expect(Math.max(...tight.map((line) => line.length))).toBeLessThanOrEqual(44);
    expect(tight[0]).toMatch(/^NAME +WHEN +BEDS +SEEN/);
    expect(tight.join(" ")).toContain("gannet-rock");
    vi.unstubAllEnvs();
  });

  it("cuts long values, and prints times in the machine's zone", () => {
    expect(brief({ a: [1, 2] })).toBe('{"a":[1,2]}');
    expect(brief("a\n  b")).toBe("a b");
    expect(brief("x".repeat(200), 10)).toBe(`${"x".repeat(9)}…`);
    expect(brief(undefined)).toBe("");
    expect(timeText(null)).toBe("");
    expect(timeText(new Date(2027, 2, 1, 5, 6, 7).toISOString())).toBe("2027-03-01 05:06:07");
  });
});
