import { describe, expect, it } from "vitest";
import { dueAt, isOnTime, nextBeat, nextBeats, type Schedule } from "./schedule.js";

const at = (text: string): number => Date.parse(text);
const of = (schedule: Partial<Schedule>): Schedule => ({
  zone: "UTC",
  except: [],
  missed: "skip",
  ...schedule,
});
const beats = (schedule: Partial<Schedule>, after: string, most = 4): string[] =>
  nextBeats(of(schedule), at(after), "w t", most).map((beat) => new Date(beat).toISOString().slice(0, 19));

describe("a schedule", () => {
  it("by an interval counts from its beginning, else from a phase of its own", () => {
    const from = at("2027-03-01T05:00:00Z");
    expect(beats({ every: 300_000, from }, "2027-03-01T05:01:00Z", 2)).toEqual([
      "2027-03-01T05:05:00",
      "2027-03-01T05:10:00",
    ]);
    expect(nextBeat(of({ every: 300_000, from }), 0, "w t")).toBe(from);
    const phases = new Set(
      Array.from(
        { length: 1_000 },
        (_, index) => ((nextBeat(of({ every: 3_600_000 }), 0, `w ${index}`) ?? 0) / 1_000) | 0,
      ),
    );
    expect(phases.size).toBeGreaterThan(800);
    expect(nextBeat(of({ every: 1_000 }), 5, "w t")).toBe(nextBeat(of({ every: 1_000 }), 6, "w t"));
  });

  it("by cron: seconds, lists, ranges, names, and day of month or day of week", () => {
    expect(beats({ cron: "0 5 * * *" }, "2027-03-01T05:00:00Z", 2)).toEqual([
      "2027-03-02T05:00:00",
      "2027-03-03T05:00:00",
    ]);
    expect(beats({ cron: "*/20 * 9 * * *" }, "2027-03-01T09:59:30Z", 3)).toEqual([
      "2027-03-01T09:59:40",
      "2027-03-02T09:00:00",
      "2027-03-02T09:00:20",
    ]);
    expect(beats({ cron: "0 12 13 * FRI" }, "2027-03-01T00:00:00Z", 4)).toEqual([
      "2027-03-05T12:00:00",
      "2027-03-12T12:00:00",
      "2027-03-13T12:00:00",
      "2027-03-19T12:00:00",
    ]);
    expect(beats({ cron: "30 8-9 * JAN,MAR MON-FRI" }, "2027-01-29T09:00:00Z", 2)).toEqual([
      "2027-01-29T09:30:00",
      "2027-03-01T08:30:00",
    ]);
    expect(beats({ cron: "0 0 30 2 *" }, "2027-01-01T00:00:00Z")).toEqual([]);
    expect(beats({ cron: "0 0 29 2 *" }, "2027-01-01T00:00:00Z", 2)).toEqual([
      "2028-02-29T00:00:00",
      "2032-02-29T00:00:00",
    ]);
  });

  // Vienna: forward on 28 March 2027 at 01:00 UTC, back on 31 October 2027 at 01:00 UTC.
  // New York: forward on 14 March 2027 at 07:00 UTC, back on 7 November 2027 at 06:00 UTC.
  it.each<[string, string, string, string, string[]]>([
    [
      "a fixed hour in the gap",
      "Europe/Vienna",
      "30 2 * * *",
      "2027-03-27T12:00:00Z",
      ["2027-03-28T01:00:00", "2027-03-29T00:30:00"],
    ],
    [
      "a list of minutes in the gap",
      "Europe/Vienna",
      "0,30 2 * * *",
      "2027-03-27T12:00:00Z",
      ["2027-03-28T01:00:00", "2027-03-29T00:00:00", "2027-03-29T00:30:00"],
    ],
    [
      "a list of hours around the gap",
      "Europe/Vienna",
      "0 1,2,3 * * *",
      "2027-03-27T12:00:00Z",
      ["2027-03-28T00:00:00", "2027-03-28T01:00:00", "2027-03-28T23:00:00"],
    ],
    [
      "every half hour over the gap",
      "Europe/Vienna",
      "*/30 * * * *",
      "2027-03-28T00:15:00Z",
      ["2027-03-28T00:30:00", "2027-03-28T01:00:00", "2027-03-28T01:30:00"],
    ],
    [
      "every second hour over the gap",
      "Europe/Vienna",
      "0 */2 * * *",
      "2027-03-27T23:30:00Z",
      ["2027-03-28T02:00:00", "2027-03-28T04:00:00"],
    ],
    [
      "a fixed hour that comes twice",
      "Europe/Vienna",
      "30 2 * * *",
      "2027-10-30T12:00:00Z",
      ["2027-10-31T00:30:00", "2027-11-01T01:30:00"],
    ],
    [
      "a list of minutes that comes twice",
      "Europe/Vienna",
      "0,30 2 * * *",
      "2027-10-30T12:00:00Z",
      ["2027-10-31T00:00:00", "2027-10-31T00:30:00", "2027-11-01T01:00:00"],
    ],
    [
      "every half hour while one comes twice",
      "Europe/Vienna",
      "*/30 * * * *",
      "2027-10-30T23:45:00Z",
      [
        "2027-10-31T00:00:00",
        "2027-10-31T00:30:00",
        "2027-10-31T01:00:00",
        "2027-10-31T01:30:00",
        "2027-10-31T02:00:00",
      ],
    ],
    [
      "every hour from within the second one",
      "Europe/Vienna",
      "0 * * * *",
      "2027-10-31T01:10:00Z",
      ["2027-10-31T02:00:00", "2027-10-31T03:00:00"],
    ],
    [
      "a fixed hour in the gap",
      "America/New_York",
      "30 2 * * *",
      "2027-03-13T12:00:00Z",
      ["2027-03-14T07:00:00", "2027-03-15T06:30:00"],
    ],
    [
      "a fixed hour that comes twice",
      "America/New_York",
      "30 1 * * *",
      "2027-11-06T12:00:00Z",
      ["2027-11-07T05:30:00", "2027-11-08T06:30:00"],
    ],
    [
      "every hour over both",
      "America/New_York",
      "0 * * * *",
      "2027-11-07T04:30:00Z",
      ["2027-11-07T05:00:00", "2027-11-07T06:00:00", "2027-11-07T07:00:00"],
    ],
    [
      "half an hour only",
      "Australia/Lord_Howe",
      "15 2 * * *",
      "2027-10-02T00:00:00Z",
      ["2027-10-02T15:30:00", "2027-10-03T15:15:00"],
    ],
  ])("at a change of the clocks: %s in %s", (_what, zone, cron, after, expected) => {
    expect(beats({ cron, zone }, after, expected.length)).toEqual(expected);
  });

  it("comes once in each real hour, whatever the clocks call it", () => {
    for (const zone of ["Europe/Vienna", "America/New_York", "Asia/Kathmandu", "UTC"]) {
      // Every hour is a wildcard: each real instant whose clock shows minute 17 counts, once.
      for (const month of ["03", "10", "11"]) {
        let last = at(`2027-${month}-01T00:00:00Z`);
        for (let count = 0; count < 760; count++) {
          const next = nextBeat(of({ cron: "17 * * * *", zone }), last, "w t") as number;
          expect([zone, new Date(last).toISOString(), next - last <= 3_600_000]).toEqual([
            zone,
            new Date(last).toISOString(),
            true,
          ]);
          if (count > 0) expect(next - last).toBe(3_600_000);
          last = next;
        }
      }
    }
  });

  it("comes on each day exactly once, at a fixed hour, over a year", () => {
    for (const zone of ["Europe/Vienna", "America/New_York", "Australia/Lord_Howe"])
      for (const cron of ["30 2 * * *", "0 0 * * *", "59 1 * * *"]) {
        const all = nextBeats(of({ cron, zone }), at("2027-01-01T12:00:00Z"), "w t", 364);
        const dates = all.map((beat) =>
          new Intl.DateTimeFormat("en-CA", { timeZone: zone, dateStyle: "short" }).format(beat),
        );
        expect(new Set(dates).size, `${zone} ${cron}`).toBe(364);
      }
  });

  it("leaves out dates, and what lies before its beginning or behind its end", () => {
    const zone = "Europe/Vienna";
    const from = at("2027-12-22T23:00:00Z");
    const until = at("2027-12-28T22:59:59Z");
    expect(
      beats(
        { cron: "0 5 * * *", zone, from, until, except: ["2027-12-24", "2027-12-25"] },
        "2027-01-01T00:00:00Z",
        9,
      ),
    ).toEqual(["2027-12-23T04:00:00", "2027-12-26T04:00:00", "2027-12-27T04:00:00", "2027-12-28T04:00:00"]);
    // A day of a beat a second is left at once.
    const [first] = beats(
      { every: 1_000, from: at("2027-12-24T00:00:00Z"), except: ["2027-12-24"] },
      "2027-12-24T00:00:00Z",
      1,
    );
    expect(first).toBe("2027-12-25T00:00:00");
    expect(beats({ cron: "0 5 24 12 *", except: [], until: 0 }, "2027-01-01T00:00:00Z")).toEqual([]);
  });

  it("is late by its jitter, always by the same", () => {
    const schedule = of({ cron: "0 5 * * *", jitter: 600_000 });
    const all = nextBeats(schedule, 0, "w t", 50).map((beat) => dueAt(schedule, beat, "w t") - beat);
    expect(all).toEqual(nextBeats(schedule, 0, "w t", 50).map((beat) => dueAt(schedule, beat, "w t") - beat));
    expect(Math.max(...all)).toBeLessThan(600_000);
    expect(new Set(all).size).toBeGreaterThan(40);
  });

  it("is on time within a minute, or within half its interval", () => {
    const beat = at("2027-03-01T05:00:00Z");
    const on = (schedule: Partial<Schedule>, late: number) =>
      isOnTime(of(schedule), beat, beat + late, "w t");
    expect([on({ cron: "0 5 * * *" }, 60_000), on({ cron: "0 5 * * *" }, 60_001)]).toEqual([true, false]);
    expect([on({ every: 10_000 }, 5_000), on({ every: 10_000 }, 5_001)]).toEqual([true, false]);
  });
});
