import { emptySummary, printJson, type Entry, type Wait } from "@copper-kettle/core";
import fc from "fast-check";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { select } from "./database.js";
import { isConflict } from "./faults.js";
import { RunJournal } from "./run-journal.js";
import { TestStore } from "./store.test.kit.js";
import { UsableCredentials } from "./usable.js";
import type { Woken } from "./waits.js";

describe("waiting and waking", () => {
  let it_: TestStore;
  let usable: UsableCredentials;
  let woken: string[];
  let count = 0;
  beforeEach(async () => {
    it_ = await TestStore.open();
    usable = new UsableCredentials(it_.writer);
    woken = [];
    it_.writer.events.on("woken", (runs: Woken[]) => woken.push(...runs.map(({ id }) => id)));
  });
  afterEach(() => it_.close());

  const run = (): Promise<RunJournal> => it_.addRun(`run-${count++}`);
  const write = (journal: RunJournal, entry: Record<string, unknown>, change?: object): Promise<void> =>
    journal.write([
      {
        entry: { at: 1, ...entry } as Entry,
        open: printJson({ at: 1, ...entry } as never),
        sealed: undefined,
        ...(change ? { change } : {}),
      } as never,
    ]);
  const rest = (journal: RunJournal, ...waits: Partial<Wait>[]): Promise<void> =>
    write(journal, {
      type: "rested",
      state: "waiting",
      waits: waits.map((wait, index) => ({ path: `s${index}`, reason: "", ...wait })),
    });
  const stateOf = async ({ run }: RunJournal): Promise<unknown> =>
    (await select<{ state: string }>(it_.store, "SELECT state FROM runs WHERE id = :run", { run }))[0]?.state;
  const finish = (journal: RunJournal): Promise<void> =>
    write(journal, { type: "finished", state: "succeeded", problems: 0 });
  const lock = (journal: RunJournal, name: string, held: boolean): Promise<void> =>
    write(
      journal,
      { type: held ? "locked" : "ended", path: "l", kind: "ensure" },
      { lock: { name, path: "l", held } },
    );
  const become = (name: string): Promise<void> =>
    it_.writer.write((_transaction, unit) => usable.note(name, unit));

  it("a run sleeps while nothing of it has come, and goes on with any of several", async () => {
    const [sleeper, called, other] = [await run(), await run(), await run()];
    await lock(other, "guest", true);
    await rest(
      sleeper,
      { kind: "run", name: called.run },
      { kind: "lock", name: "guest" },
      { kind: "credential", name: "bot", seen: 0 },
    );
    expect([await stateOf(sleeper), woken]).toEqual(["waiting", []]);
    await become("another");
    expect([usable.times("another"), usable.times("bot")]).toEqual([1, 0]);
    await lock(other, "hut", true);
    await lock(other, "hut", false);
    expect([await stateOf(sleeper), woken]).toEqual(["waiting", []]);
    await lock(other, "guest", false);
    expect([await stateOf(sleeper), woken]).toEqual(["queued", [sleeper.run]]);
    // It looks, and rests again: with what is still missing.
    await rest(sleeper, { kind: "run", name: called.run });
    expect(await stateOf(sleeper)).toBe("waiting");
    await finish(called);
    expect([await stateOf(sleeper), woken]).toEqual(["queued", [sleeper.run, sleeper.run]]);
    await finish(sleeper);
    expect(await select(it_.store, "SELECT * FROM waits")).toEqual([]);
  });

  it("what came before the run rests is found in the commit of its rest", async () => {
    const [called, keeper] = [await run(), await run()];
    await finish(called);
    await lock(keeper, "guest", true);
    await become("bot");
    await finish(keeper); // which frees its locks
    for (const wait of [
      { kind: "run", name: called.run },
      { kind: "run", name: "deleted" },
      { kind: "lock", name: "guest" },
      { kind: "credential", name: "bot", seen: 0 },
    ] as const) {
      const sleeper = await run();
      await rest(sleeper, { kind: "breakpoint", name: "s0" }, wait);
      expect([wait.kind, await stateOf(sleeper)]).toEqual([wait.kind, "queued"]);
    }
    const sleeper = await run();
    await rest(sleeper, { kind: "credential", name: "bot", seen: 1 }, { kind: "breakpoint", name: "s0" });
    expect(await stateOf(sleeper)).toBe("waiting");
  });

  it("no wake-up is lost, in whatever order and commits a rest and what it waits for come", async () => {
    const kinds = fc.constantFrom("run", "lock", "credential");
    const before = fc.array(fc.boolean(), { minLength: 1, maxLength: 3 });
    await fc.assert(
      fc.asyncProperty(
        fc.array(kinds, { minLength: 1, maxLength: 3 }),
        before,
        fc.integer({ min: 0, max: 2 }),
        async (waits, pauses, first) => {
          const [sleeper, other] = [await run(), await run()];
          const made: { wait: Partial<Wait>; come: () => Promise<void> }[] = [];
          for (const kind of waits) {
            const name = `${kind}-${count++}`;
            if (kind === "run") {
              const called = await run();
              made.push({ wait: { kind: "run", name: called.run }, come: () => finish(called) });
            } else if (kind === "lock") {
              await lock(other, name, true);
              made.push({ wait: { kind: "lock", name }, come: () => lock(other, name, false) });
            } else
              made.push({
                wait: { kind: "credential", name, seen: usable.times(name) },
                come: () => become(name),
              });
          }
          const acts = [
            () => rest(sleeper, ...made.map(({ wait }) => wait)),
            made[first % made.length]?.come ?? (() => Promise.resolve()),
          ];
          if (pauses[0]) acts.reverse();
          const under = [];
          for (const act of acts) {
            const going = act();
            under.push(going);
            if (pauses[1]) await going;
            else if (pauses[2]) await new Promise((resolve) => setImmediate(resolve));
          }
          await Promise.all(under);
          expect(await stateOf(sleeper)).toBe("queued");
          expect(woken.filter((id) => id === sleeper.run)).toHaveLength(1);
        },
      ),
      { numRuns: 1_000 },
    );
  }, 60_000);

  it("what comes is not made, and wakes nobody, where its own commit fails", async () => {
    const sleeper = await run();
    await rest(sleeper, { kind: "credential", name: "bot", seen: 0 });
    const failing = it_.writer.write(async (_transaction, unit) => {
      await usable.note("bot", unit);
      throw new Error("It fails behind it.");
    });
    await expect(failing).rejects.toThrow("behind it");
    expect([await stateOf(sleeper), woken, usable.times("bot")]).toEqual(["waiting", [], 0]);
  });

  it("of two that write one journal without knowing of each other the second fails, also in one commit", async () => {
    const journal = await run();
    await write(journal, { type: "limited", path: "a", until: 2 });
    const other = new RunJournal(it_.journals, journal.run, "w", journal.next, emptySummary());
    const results = await Promise.allSettled([
      write(journal, { type: "limited", path: "b", until: 2 }),
      write(other, { type: "limited", path: "c", until: 2 }),
    ]);
    expect(results.map(({ status }) => status)).toEqual(["fulfilled", "rejected"]);
    expect(isConflict((results[1] as PromiseRejectedResult).reason)).toBe(true);
    const { entries } = await it_.journals.open(journal.run, -1, 10);
    expect(entries.map(({ entry }) => entry["path"])).toEqual(["a", "b"]);
  });
});
