import type { Entry } from "@copper-kettle/core";
import { describe, expect, it } from "vitest";
import { took } from "./format.js";
import { fieldsOf, initialValues, readForm } from "./schema-form.js";
import { Waterfall } from "./waterfall.js";

const outline = [
  { name: "huts", kind: "request", title: "Which huts?", line: 3, depth: 0, calls: null },
  { name: "round", kind: "each", title: null, line: 5, depth: 0, calls: null },
  { name: "post", kind: "request", title: null, line: 7, depth: 1, calls: null },
  { name: "nap", kind: "wait", title: null, line: 9, depth: 0, calls: null },
];
const begun = (at: number, path: string, kind: string, data = {}): Entry => ({
  type: "begun",
  at,
  path,
  kind,
  data,
});
const attempt = (
  at: number,
  path: string,
  number: number,
  sentAt: number,
  status: number,
  wait?: number,
): Entry => ({
  type: "attempt",
  at,
  path,
  attempt: number,
  sentAt,
  response: { status, headers: {}, body: null, url: "" },
  ...(wait === undefined ? {} : { wait, asked: true }),
});
const ended = (at: number, path: string, kind: string, more: object = {}): Entry =>
  ({ type: "ended", at, path, kind, ...more }) as Entry;

describe("the waterfall", () => {
  it("draws attempts and the waits between them as segments that follow each other", () => {
    const made = new Waterfall(outline);
    made.take([
      begun(100, "huts", "request"),
      { type: "sending", at: 105, path: "huts", attempt: 1 },
      attempt(120, "huts", 1, 105, 429, 1_000),
      { type: "sending", at: 1_120, path: "huts", attempt: 2 },
      attempt(1_150, "huts", 2, 1_120, 200),
      ended(1_150, "huts", "request"),
    ]);
    const [row] = made.inside("");
    expect(row).toMatchObject({ title: "Which huts?", line: 3, state: "succeeded", from: 100, to: 1_150 });
    expect(row?.segments.map(({ kind, from, to, status }) => [kind, from, to, status])).toEqual([
      ["sending", 105, 120, 429],
      ["backing-off", 120, 1_120, undefined],
      ["sending", 1_120, 1_150, 200],
    ]);
    expect(made).toMatchObject({ from: 100, to: 1_150, over: false });
  });

  it("says of nothing that it runs while the whole run waits", () => {
    const made = new Waterfall(outline);
    const states = () => made.inside("").map(({ name, state }) => [name, state]);
    made.take([
      begun(100, "known", "if"),
      begun(101, "known/made", "request"),
      { type: "unsure", at: 110, path: "known/made", attempt: 1, reason: "cut" } as Entry,
      { type: "rested", at: 111, state: "unsure" } as Entry,
    ]);
    expect(states()).toEqual([
      ["known", "waiting"],
      ["made", "unsure"],
    ]);
    made.take([
      {
        type: "decided",
        at: 500,
        path: "known/made",
        attempt: 1,
        decision: "skip",
        by: "owner",
      } as unknown as Entry,
    ]);
    expect(states()[0]).toEqual(["known", "waiting"]);
    made.take([ended(501, "known/made", "request")]);
    expect(states()).toEqual([
      ["known", "running"],
      ["made", "succeeded"],
    ]);
    made.take([ended(502, "known", "if")]);
    expect(states()[0]).toEqual(["known", "succeeded"]);
  });

  it("tells what was not sent from what was", () => {
    const made = new Waterfall(outline);
    const pretended = { ...attempt(120, "huts", 1, 105, 200), pretended: "rehearsal" } as Entry;
    made.take([begun(100, "huts", "request"), pretended, ended(121, "huts", "request")]);
    expect(made.inside("")[0]?.segments).toMatchObject([
      { kind: "pretended", label: "not sent: a rehearsal", from: 105, to: 120 },
    ]);
  });

  it("places the stops of the service behind the last that happened before, with what was sent again", () => {
    const made = new Waterfall(outline);
    made.take([
      begun(100, "huts", "request"),
      { type: "sending", at: 105, path: "huts", attempt: 1 },
      { type: "sending", at: 5_000, path: "huts", attempt: 2 },
      attempt(5_010, "huts", 2, 5_000, 200),
      { type: "sending", at: 5_020, path: "huts", attempt: 3 },
      attempt(5_030, "huts", 3, 5_020, 200),
      ended(5_030, "huts", "request"),
    ]);
    const at = (millis: number): string => new Date(millis).toISOString();
    expect(
      made.stopsOf([
        { from: at(50), to: at(4_000) },
        { from: at(5_100), to: at(6_000) },
      ]),
    ).toEqual([
      { from: 105, to: 4_000, resent: 1 },
      { from: 5_100, to: 6_000, resent: 0 },
    ]);
  });

  it("leaves open what still goes on", () => {
    const made = new Waterfall(outline);
    made.take([begun(0, "huts", "request"), { type: "sending", at: 5, path: "huts", attempt: 1 }]);
    expect(made.rows.get("huts")).toMatchObject({
      state: "running",
      segments: [{ kind: "sending", to: undefined }],
    });
    made.take([begun(7, "nap", "wait", { until: 900 })]);
    expect(made.rows.get("nap")).toMatchObject({
      state: "waiting",
      segments: [{ kind: "wait", to: undefined }],
    });
    made.take([ended(950, "nap", "wait"), { type: "finished", at: 960, state: "succeeded", problems: 0 }]);
    expect(made.rows.get("nap")).toMatchObject({ state: "succeeded", segments: [{ to: 950 }] });
    expect(made.over).toBe(true);
  });

  it("folds a loop into one cell an item, and keeps each item's rows apart", () => {
    const made = new Waterfall(outline);
    made.take([
      begun(0, "round", "each", { length: 3 }),
      begun(1, "round[0]/post", "request"),
      attempt(2, "round[0]/post", 1, 1, 201),
      ended(2, "round[0]/post", "request"),
      { type: "item", at: 3, path: "round[0]" },
      begun(3, "round[1]/post", "request"),
      { type: "unsure", at: 4, path: "round[1]/post", attempt: 1, reason: "cut" },
      begun(4, "round[2]/post", "request"),
      attempt(5, "round[2]/post", 1, 4, 500),
      ended(5, "round[2]/post", "request", { error: { code: "response", message: "no" } }),
    ]);
    expect(made.inside("").map((row) => row.path)).toEqual(["round"]);
    expect([...(made.rows.get("round")?.items ?? [])]).toEqual([
      [0, "succeeded"],
      [1, "unsure"],
      [2, "failed"],
    ]);
    expect(made.rows.get("round")?.length).toBe(3);
    expect(made.inside("round[2]/").map((row) => [row.name, row.state, row.depth])).toEqual([
      ["post", "failed", 1],
    ]);
  });

  it("shows a step that was skipped by hand as skipped", () => {
    const made = new Waterfall(outline);
    made.take([begun(0, "huts", "request"), ended(1, "huts", "request", { skipped: "by hand" })]);
    expect(made.rows.get("huts")?.state).toBe("skipped");
  });
});

describe("the form of a schema", () => {
  const schema = {
    type: "object",
    required: ["email", "nights"],
    properties: {
      email: { type: "string", format: "email", title: "Guest e-mail", description: "Where to write" },
      hut: { type: "string", enum: ["corrie", "eyrie"], default: "corrie" },
      nights: { type: ["integer", "null"] },
      dog: { type: "boolean" },
      pin: { type: "string", writeOnly: true },
      extras: { type: "array", default: ["tea"] },
    },
  };

  it("has a field for each property, of the fitting kind, in the order of the file", () => {
    expect(
      fieldsOf(schema).map(({ name, kind, required, inputType }) => [name, kind, required, inputType]),
    ).toEqual([
      ["email", "text", true, "email"],
      ["hut", "choice", false, "text"],
      ["nights", "number", true, "text"],
      ["dog", "boolean", false, "text"],
      ["pin", "secret", false, "text"],
      ["extras", "json", false, "text"],
    ]);
    expect(fieldsOf(schema)[0]).toMatchObject({ title: "Guest e-mail", help: "Where to write" });
    expect(fieldsOf(null)).toEqual([]);
    expect(initialValues(schema)).toEqual({ hut: "corrie", extras: '[\n  "tea"\n]' });
  });

  it("reads what was typed, leaves out what is blank, and says what cannot be read", () => {
    const fields = fieldsOf(schema);
    expect(
      readForm(fields, { email: "o@h.example", nights: "3", dog: false, extras: '{"a": 1}', pin: "" }),
    ).toEqual({
      inputs: { email: "o@h.example", nights: 3, dog: false, extras: { a: 1 } },
      faults: {},
    });
    const { inputs, faults } = readForm(fields, { nights: "many", extras: "[1," });
    expect(inputs).toEqual({});
    expect(Object.keys(faults)).toEqual(["email", "nights", "extras"]);
    expect(faults["email"]).toBe("Guest e-mail is required.");
    expect(faults["extras"]).toContain("not JSON");
  });

  it("keeps the digits of long numbers that were typed", () => {
    const { inputs } = readForm(fieldsOf(schema), { email: "x", nights: "12345678901234567890" });
    expect(String(inputs["nights"])).toBe("12345678901234567890");
  });
});

describe("times", () => {
  it("count on while a run goes on", () => {
    expect(took({ startedAt: null, endedAt: null })).toBe("");
    expect(took({ startedAt: "2027-03-01T05:00:00Z", endedAt: "2027-03-01T05:00:04Z" })).toBe("4 s");
    expect(
      took({ startedAt: "2027-03-01T05:00:00Z", endedAt: null }, Date.parse("2027-03-01T05:02:00Z")),
    ).toBe("2 min");
  });
});
