import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { RateLimit, rateLimitPolicy } from "./rate-limit.js";
import { rateTold } from "./retry-after.js";

describe("a limit whose clock is set", () => {
  const gone = (limit: RateLimit, now: number): void =>
    limit.done(limit.go(now), { status: 200, headers: {} }, now);

  it.each([-3_600_000, 3_600_000])("by %i ms: the window and the pause move along", (by) => {
    let now = 10_000_000;
    const limit = new RateLimit();
    limit.policy = { calls: 2, per: 10_000 };
    for (let count = 0; count < 2; count++) gone(limit, now);
    const told = limit.go(now);
    limit.done(told, { status: 429, headers: { "retry-after": "20" } }, now);
    const before = limit.next(now) - now;
    limit.moveBy(by);
    now += by;
    expect(limit.next(now) - now).toBe(before);
    expect(limit.pausedUntil - now).toBe(20_000);
  });

  it("has no pause to move where nobody asked for one", () => {
    const limit = new RateLimit();
    limit.moveBy(-5_000);
    expect(limit.pausedUntil).toBe(0);
    expect(limit.next(7_000)).toBe(7_000);
  });
});

describe("a rate limit", () => {
  it("never lets more calls go than fit in any window of its time, however they come and however long they take", () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 6 }),
        fc.array(
          fc.record({ gap: fc.integer({ min: 0, max: 700 }), takes: fc.integer({ min: 0, max: 300 }) }),
          { minLength: 1, maxLength: 60 },
        ),
        (calls, wanted) => {
          const limit = new RateLimit();
          limit.policy = { calls, per: 1_000 };
          let now = 1_000_000;
          const arrivals: number[] = [];
          for (const { gap, takes } of wanted) {
            now = Math.max(now + gap, limit.next(now + gap));
            const sent = limit.go(now);
            arrivals.push(now + takes / 2);
            limit.done(sent, undefined, now + takes);
            now += takes;
          }
          for (const at of arrivals)
            expect(arrivals.filter((other) => other >= at && other < at + 1_000).length).toBeLessThanOrEqual(
              calls,
            );
        },
      ),
    );
  });

  it("tells when one may go that has others before it", () => {
    const limit = new RateLimit();
    limit.policy = { calls: 2, per: 1_000 };
    for (let count = 0; count < 2; count++) limit.done(limit.go(0), undefined, 0);
    expect([0, 1, 2, 3].map((before) => limit.next(0, before))).toEqual([1_000, 1_000, 2_000, 2_000]);
  });

  it("lets only so many be under way", () => {
    const limit = new RateLimit();
    limit.policy = { parallel: 1 };
    const sent = limit.go(0);
    expect(limit.full).toBe(true);
    limit.done(sent, undefined, 5);
    expect(limit.full).toBe(false);
  });

  it.each([
    ["a 429 with a time", 429, { "retry-after": "7" }, 7_000],
    ["a 429 without one", 429, {}, 1_000],
    ["a limit that is used up", 200, { "x-ratelimit-remaining": "0", "x-ratelimit-reset": "3" }, 3_000],
    ["a limit with some left", 200, { "x-ratelimit-remaining": "4", "x-ratelimit-reset": "3" }, 0],
    ["a plain answer", 200, {}, 0],
  ])("%s holds back the next call", (_, status, headers, wait) => {
    const limit = new RateLimit();
    limit.done(limit.go(100), { status, headers: headers as never }, 100);
    expect(limit.next(100)).toBe(100 + wait);
  });

  it("is learned from the policy that answers tell, where none is set", () => {
    const limit = new RateLimit();
    limit.done(
      limit.go(0),
      { status: 200, headers: { "ratelimit-policy": '"hour";q=1000;w=3600, "burst";q=20;w=10' } },
      0,
    );
    expect(limit.rate).toEqual({ calls: 1_000, per: 3_600_000 });
  });

  it("set back by an hour the clock holds nothing for longer than a window", () => {
    const limit = new RateLimit();
    limit.policy = { calls: 1, per: 1_000 };
    limit.done(limit.go(10_000_000), undefined, 10_000_000);
    expect(limit.next(10_000_000 - 3_600_000)).toBeLessThanOrEqual(10_000_000 - 3_600_000 + 1_000);
  });

  it("of a document is read, or left out where it says nothing", () => {
    expect(rateLimitPolicy({ calls: 5, per: "1s", parallel: 3 })).toEqual({
      calls: 5,
      per: 1_000,
      parallel: 3,
    });
    expect(rateLimitPolicy({ calls: 5 })).toBeUndefined();
    expect(rateLimitPolicy("fast")).toBeUndefined();
  });
});

describe("what answers tell of their rate", () => {
  it.each([
    [{ ratelimit: '"default";r=0;t=30' }, { remaining: 0, reset: 30_000 }],
    [{ ratelimit: "limit=100, remaining=4, reset=12" }, { remaining: 4, reset: 12_000 }],
    [{ ratelimit: '"day";r=900;t=4000, "burst";r=1;t=2' }, { remaining: 1, reset: 2_000 }],
    [
      { "ratelimit-remaining": "0", "ratelimit-reset": "5" },
      { remaining: 0, reset: 5_000 },
    ],
    [
      { "x-ratelimit-remaining": "0", "x-ratelimit-reset": "1900000060" },
      { remaining: 0, reset: 60_000 },
    ],
    [{ "x-ratelimit-remaining": "none" }, {}],
    [{}, {}],
  ])("%o", (headers, told) => {
    expect(rateTold(headers as never, 1_900_000_000_000)).toEqual(told);
  });
});
