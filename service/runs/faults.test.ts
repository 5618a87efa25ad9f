import { bounds, emptySummary, printJson, type Entry } from "@copper-kettle/core";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { RunJournal } from "../store/run-journal.js";
import { TestStore } from "../store/store.test.kit.js";
import { RunFaults } from "./faults.js";

describe("a run that cannot go on", () => {
  let it_: TestStore;
  let faults: RunFaults;
  const run = { run: "r1", workflow: "round" };
  beforeEach(async () => {
    it_ = await TestStore.open();
    const clock = { now: () => 7, wait: () => Promise.resolve() };
    const log = { error: () => undefined } as never;
    faults = new RunFaults({ journals: it_.journals, clock, log });
    const entry: Entry = { type: "ended", at: 1, path: "a", kind: "note", outcome: "x" };
    await new RunJournal(it_.journals, "r1", "round", 0, emptySummary()).write([
      { entry, open: printJson(entry), sealed: undefined },
    ]);
  });
  afterEach(() => it_.close());

  const last = async (): Promise<Entry | undefined> =>
    (await it_.journals.load("r1", "round")).entries.at(-1);

  it("for a reason of its own is held after some tries, with the reason; it is not sent again for ever", async () => {
    for (let count = 1; count < bounds.runFaults; count++)
      expect(await faults.holds(run, new RangeError("Maximum call stack size exceeded"))).toBe(false);
    expect(await faults.holds(run, new RangeError("Maximum call stack size exceeded"))).toBe(true);
    expect(await last()).toMatchObject({
      type: "rested",
      state: "parked",
      reason: expect.stringContaining("Maximum call stack"),
    });
    expect(faults.trouble).toBeUndefined();
  });

  it("counts from the start once it went on", async () => {
    for (let count = 0; count < 10; count++) {
      expect(await faults.holds(run, new Error("odd"))).toBe(false);
      faults.wentOn("r1");
    }
    expect(await last()).toMatchObject({ type: "ended" });
  });

  it("for the disk is tried until there is room, and people are told why", async () => {
    const full = Object.assign(new Error("disk is full"), { code: "SQLITE_FULL" });
    for (let count = 0; count < 10; count++) expect(await faults.holds(run, full)).toBe(false);
    expect(faults.trouble).toEqual({ at: 7, message: "disk is full" });
    faults.wentOn("r1");
    expect(faults.trouble).toBeUndefined();
    faults.trouble = { at: 7, message: "damaged", lasts: true };
    faults.wentOn("r1");
    expect(faults.trouble.message).toBe("damaged");
  });
});
