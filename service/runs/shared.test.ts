import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { bounds } from "@copper-kettle/core";
import { LockKeeper } from "./locks.js";
import { RateLimiter } from "./rate-limiter.js";
import { TurnQueue } from "./queue.js";

const never = new AbortController().signal;

describe("turns of a workflow whose places are taken", () => {
  it("go to a run that holds a place at once, and to no other", () => {
    const begun: string[] = [];
    const queue = new TurnQueue(10, ({ run }) => begun.push(run));
    const turn = (run: string) => ({ run, workflow: "round", parallel: 2 });
    queue.hold("asleep-1", "round", [], { place: true });
    queue.hold("asleep-2", "round", [], { place: true });
    for (const run of ["new-1", "new-2"]) queue.add(turn(run));
    expect(begun).toEqual([]);
    expect(queue.waiting("round")).toBe(2);
    queue.add(turn("asleep-2"), { first: true });
    expect(begun).toEqual(["asleep-2"]);
    queue.rested("asleep-2", "round", { keepsPlace: false });
    expect(begun).toEqual(["asleep-2", "new-1"]);
    expect(queue.places("round")).toBe(2);
  });

  it("wait while all is paused, and come in their order afterwards", () => {
    const begun: string[] = [];
    const queue = new TurnQueue(2, ({ run }) => begun.push(run));
    queue.pause(true);
    for (const run of ["a", "b", "c"]) queue.add({ run, workflow: "w", parallel: undefined });
    expect(begun).toEqual([]);
    queue.pause(false);
    expect(begun).toEqual(["a", "b"]);
    queue.rested("a", "w", { keepsPlace: false });
    expect(begun).toEqual(["a", "b", "c"]);
  });

  it("of ten thousand that wait take no longer for the last than for the first", () => {
    const queue = new TurnQueue(1, () => undefined);
    for (let index = 0; index < 10_000; index++) queue.add({ run: `r${index}`, workflow: "w", parallel: 1 });
    expect(queue.waiting("w")).toBe(9_999);
    for (let index = 0; index < 9_999; index++) queue.rested(`r${index}`, "w", { keepsPlace: false });
    expect(queue.waiting("w")).toBe(0);
    expect(queue.places("w")).toBe(1);
  });
});

describe("turns that are reserved", () => {
  it("go to runs whose starters wait, in their order, and to no other", () => {
    const begun: string[] = [];
    const queue = new TurnQueue(
      3,
      ({ run }) => begun.push(run),
      () => undefined,
      1,
    );
    const add = (run: string, awaited = false, parallel?: number): void =>
      queue.add({ run, workflow: "w", parallel, awaited });
    for (const run of ["a", "b", "c"]) add(run);
    expect([begun, queue.crowded]).toEqual([["a", "b"], true]);
    // Where the order of the starts counts, nobody passes others.
    add("limited", true, 5);
    add("first", true);
    add("second", true);
    expect(begun).toEqual(["a", "b", "first"]);
    queue.rested("first", "w", { keepsPlace: false });
    expect(begun.slice(3)).toEqual(["second"]);
    // A turn that is not reserved goes to who came first.
    queue.rested("a", "w", { keepsPlace: false });
    expect(begun.slice(4)).toEqual([]);
    queue.rested("second", "w", { keepsPlace: false });
    expect(begun.slice(4)).toEqual(["c"]);
    queue.remove("limited", "w");
    expect(queue.waiting("w")).toBe(0);
  });
});

describe("shares of runs", () => {
  const shared = (most = 1, latest = false) => {
    const begun: string[] = [];
    const left: string[] = [];
    const queue = new TurnQueue(
      100,
      ({ run }) => begun.push(run),
      ({ run }, later) => left.push(`${run} for ${later}`),
    );
    const add = (run: string, name: string, parallel?: number) =>
      queue.add({ run, workflow: "w", parallel, shares: [{ name, most, latest }] });
    return { begun, left, queue, add };
  };

  it("let those of another name pass, and keep the order of the same", () => {
    const { begun, queue, add } = shared();
    for (const run of ["a1", "a2", "b1", "a3"]) add(run, run.slice(0, 1));
    expect(begun).toEqual(["a1", "b1"]);
    expect([queue.waiting("w"), queue.sharing("a"), queue.behind("a3")]).toEqual([2, 3, "a1"]);
    // Asleep or unsure it keeps its share; only its end frees it.
    queue.rested("a1", "w", { keepsPlace: false, keepsShares: true });
    expect(begun).toEqual(["a1", "b1"]);
    queue.add(
      { run: "a1", workflow: "w", parallel: undefined, shares: [{ name: "a", most: 1 }] },
      { first: true },
    );
    queue.rested("a1", "w", { keepsPlace: false });
    expect(begun).toEqual(["a1", "b1", "a1", "a2"]);
    queue.remove("a3", "w");
    queue.rested("a2", "w", { keepsPlace: false });
    expect([begun.length, queue.waiting("w"), queue.sharing("a")]).toEqual([4, 0, 0]);
  });

  it("wait for the workflow's places, too, without losing their order", () => {
    const { begun, queue, add } = shared();
    for (const run of ["a1", "a2", "b1", "b2"]) add(run, run.slice(0, 1), 1);
    expect(begun).toEqual(["a1"]);
    queue.rested("a1", "w", { keepsPlace: false });
    queue.rested("a2", "w", { keepsPlace: false });
    queue.rested("b1", "w", { keepsPlace: false });
    expect(begun).toEqual(["a1", "a2", "b1", "b2"]);
  });

  it("are counted for every run that has one, whatever it waits for", () => {
    const { begun, queue, add } = shared(2);
    queue.pause(true);
    for (const run of ["a1", "a2", "a3"]) add(run, "a", 1);
    expect([queue.sharing("a"), begun]).toEqual([3, []]);
    queue.pause(false);
    expect([queue.sharing("a"), begun]).toEqual([3, ["a1"]]);
    queue.remove("a3", "w");
    queue.rested("a1", "w", { keepsPlace: false });
    expect([queue.sharing("a"), begun]).toEqual([1, ["a1", "a2"]]);
    queue.rested("a2", "w", { keepsPlace: false });
    expect(queue.sharing("a")).toBe(0);
  });

  it("of which the latest counts leave out one that has not begun, and no other", () => {
    const { begun, left, queue, add } = shared(1, true);
    for (const run of ["1", "2", "3"]) add(run, "a");
    expect([begun, left]).toEqual([["1"], ["2 for 3"]]);
    queue.rested("1", "w", { keepsPlace: false });
    expect(begun).toEqual(["1", "3"]);
    add("4", "a");
    expect(left).toEqual(["2 for 3"]);
  });

  it("of ten thousand that wait for one take no longer for the last than for the first", () => {
    const { queue, add } = shared();
    for (let index = 0; index < 10_000; index++) add(`r${index}`, "a");
    for (let index = 0; index < 10_000; index++) queue.rested(`r${index}`, "w", { keepsPlace: false });
    expect([queue.waiting("w"), queue.sharing("a")]).toEqual([0, 0]);
  });
});

describe("the limit that runs share", () => {
  beforeEach(() => void vi.useFakeTimers({ now: Date.UTC(2027, 2, 1, 5) }));
  afterEach(() => void vi.useRealTimers());

  const rateLimiter = (limit?: object): RateLimiter =>
    new RateLimiter(
      {
        all: () =>
          [{ name: "boards", api: { servers: ["https://boards.example"], operations: [] } }] as never,
        document: () => (limit ? { "x-ckettle-rate-limit": limit } : {}) as never,
        changes: 1,
      },
      () => Date.now(),
    );
  const call = (workflow: string, more: object = {}) => ({
    url: "https://boards.example/boards/corrie",
    workflow,
    ...more,
  });

  it("is one for an API's operations and for inline calls to its server, and another with another credential", () => {
    const it_ = rateLimiter({ calls: 1, per: "1s" });
    expect(it_.take(call("a", { api: "boards" }))).toBeDefined();
    expect(it_.take(call("b"))).toBeUndefined();
    expect(it_.take(call("b", { credential: "other" }))).toBeDefined();
    expect(it_.take({ ...call("b"), url: "https://stays.example/" })).toBeDefined();
    expect(it_.view().map(({ api, target, credential }) => [api, target, credential])).toEqual([
      ["boards", "boards", null],
      ["boards", "boards", "other"],
      [null, "https://stays.example", null],
    ]);
  });

  it("goes round between workflows: a thousand calls of one do not hold up one of another", async () => {
    const it_ = rateLimiter({ calls: 1, per: "1s" });
    it_.take(call("many"))?.done({ status: 200, headers: {} });
    const order: string[] = [];
    for (let index = 0; index < 4; index++)
      void it_.wait(call("many"), never).then(() => order.push(`many ${index}`));
    void it_.wait(call("one"), never).then(() => order.push("one"));
    for (let second = 0; second < 4; second++) await vi.advanceTimersByTimeAsync(1_600);
    expect(order.slice(0, 3)).toEqual(["many 0", "one", "many 1"]);
  });

  it("lets no more go at once than it says; the next goes when one is over", async () => {
    const it_ = rateLimiter({ parallel: 2 });
    const [first, second] = [it_.take(call("a")), it_.take(call("a"))];
    expect(first && second).toBeDefined();
    expect(it_.take(call("a"))).toBeUndefined();
    let gone = false;
    void it_.wait(call("a"), never).then(() => (gone = true));
    await vi.advanceTimersByTimeAsync(60_000);
    expect(gone).toBe(false);
    expect(it_.view()[0]).toMatchObject({ under: 2, waiting: 1, parallel: 2 });
    first?.done({ status: 200, headers: {} });
    await vi.advanceTimersByTimeAsync(0);
    expect(gone).toBe(true);
  });

  it("sends away who would wait longer than half a minute, and says until when", async () => {
    const it_ = rateLimiter();
    it_.take(call("a"))?.done({ status: 429, headers: { "retry-after": "120" } });
    await expect(it_.wait(call("a"), never)).resolves.toEqual({ until: Date.now() + 120_000 });
    expect(it_.view()[0]?.pausedUntil).toBe(Date.now() + 120_000);
    await vi.advanceTimersByTimeAsync(120_000);
    expect(it_.take(call("a"))).toBeDefined();
    expect(it_.view()[0]?.pausedUntil).toBeNull();
  });

  it("remembers only so many hosts that were met", () => {
    const it_ = rateLimiter();
    for (let index = 0; index < bounds.lanes + 500; index++)
      it_.take({ url: `https://h${index}.example/`, workflow: "w" })?.done({ status: 200, headers: {} });
    expect(it_.view().length).toBeLessThanOrEqual(bounds.lanes);
    expect(it_.view().at(-1)?.target).toBe(`https://h${bounds.lanes + 499}.example`);
  });

  it("forgets who leaves, and keeps the turn of who stays", async () => {
    const it_ = rateLimiter({ calls: 1, per: "1s" });
    it_.take(call("a"))?.done({ status: 200, headers: {} });
    const leaving = new AbortController();
    const left = it_.wait(call("a"), leaving.signal);
    const stays = it_.wait(call("b"), never);
    leaving.abort(new Error("stopped"));
    await expect(left).rejects.toThrow("stopped");
    await vi.advanceTimersByTimeAsync(1_600);
    expect(await stays).toHaveProperty("done");
    expect(it_.view()[0]?.waiting).toBe(0);
    await expect(it_.wait(call("a"), leaving.signal)).rejects.toThrow("stopped");
  });

  it("is learned from responses where nobody set it", () => {
    const it_ = rateLimiter();
    const told = { "ratelimit-policy": '"default";q=2;w=10', ratelimit: '"default";r=0;t=4' };
    it_.take(call("a"))?.done({ status: 200, headers: told });
    expect(it_.take(call("a"))).toBeUndefined();
    expect(it_.expected(call("a")) - Date.now()).toBe(4_000);
    expect(it_.view()[0]).toMatchObject({ calls: 2, per: 10_000 });
  });
});

describe("locks that runs share", () => {
  it("are held by one step of one run; the same step has it again after a stop", () => {
    const locks = new LockKeeper((name) => `digest of ${name.length}`);
    const [one, other] = [locks.of("r1"), locks.of("r2")];
    expect(one.take("guest", "record")).toBe("taken");
    expect(one.take("guest", "record")).toBe("had");
    expect(one.take("guest", "elsewhere")).toBe("busy");
    expect(other.take("guest", "record")).toBe("busy");
    expect(other.holder("guest")).toBe("r1");
    other.release("guest", "record"); // it is not its own
    expect(other.take("guest", "record")).toBe("busy");
    one.release("guest", "record");
    expect(other.take("guest", "record")).toBe("taken");
    expect(locks.all()).toEqual([{ name: "guest", run: "r2", path: "record" }]);
  });

  it("go to who waits in memory, one after the other", async () => {
    const locks = new LockKeeper((name) => `digest of ${name.length}`);
    locks.of("r1").take("guest", "a");
    const order: string[] = [];
    const waits = ["r2", "r3"].map((run) =>
      locks
        .of(run)
        .wait("guest", 60_000, never)
        .then((came) => {
          order.push(`${run} ${came}`);
          locks.of(run).take("guest", "a");
        }),
    );
    locks.of("r1").release("guest", "a");
    await waits[0];
    expect(order).toEqual(["r2 true"]);
    locks.releaseAll("r2");
    await waits[1];
    expect(order).toEqual(["r2 true", "r3 true"]);
    locks.releaseAll("r3");
    expect(await locks.of("r4").wait("guest", 60_000, never)).toBe(true);
  });

  it("tell who waits for them in memory, the next one first", async () => {
    const locks = new LockKeeper((name) => `digest of ${name.length}`);
    locks.of("r1").take("guest", "a");
    const leaving = new AbortController();
    const waits = [
      locks.of("r2").wait("guest", 60_000, leaving.signal),
      locks.of("r3").wait("guest", 60_000, never),
    ];
    expect(locks.waiting("guest")).toEqual(["r2", "r3"]);
    expect(locks.waiting("other")).toEqual([]);
    leaving.abort();
    expect(await waits[0]).toBe(false);
    expect(locks.waiting("guest")).toEqual(["r3"]);
    locks.releaseAll("r1");
    expect(await waits[1]).toBe(true);
    expect(locks.waiting("guest")).toEqual([]);
  });

  it("are waited for no longer than is said, and not by who was stopped", async () => {
    vi.useFakeTimers();
    try {
      const locks = new LockKeeper((name) => `digest of ${name.length}`);
      locks.of("r1").take("guest", "a");
      const patience = locks.of("r2").wait("guest", 1_000, never);
      const stop = new AbortController();
      const stopped = locks.of("r3").wait("guest", 60_000, stop.signal);
      stop.abort();
      expect(await stopped).toBe(false);
      await vi.advanceTimersByTimeAsync(1_000);
      expect(await patience).toBe(false);
      expect(locks.waiting("guest")).toEqual([]);
    } finally {
      vi.useRealTimers();
    }
  });
});
