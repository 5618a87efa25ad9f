import { printJson, type Entry } from "@copper-kettle/core";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import type { RunRecord } from "../store/models.js";
import { TestStore } from "../store/store.test.kit.js";
import { RunActs } from "./acts.js";
import { ChildRuns } from "./children.js";
import { LockKeeper } from "./locks.js";
import { Runner } from "./runner.js";

describe("a stop of a run", () => {
  let it_: TestStore;
  let acts: RunActs;
  let runner: Runner;
  let row: RunRecord;
  const rest: Entry = { type: "rested", at: 2, state: "waiting", until: 9e12 };

  beforeEach(async () => {
    it_ = await TestStore.open();
    const { journals } = it_;
    const clock = { now: () => 7, wait: () => Promise.resolve() };
    const log = { error: () => undefined };
    runner = new Runner({ journals, clock, log, locks: new LockKeeper((name) => name) } as never);
    acts = new RunActs(journals, runner);
    runner.children = new ChildRuns({ acts, runner, journals } as never);
    await it_.addRun("r1");
    await write([rest]);
    row = (await it_.journals.runs.find("r1")) as RunRecord;
  });
  afterEach(() => it_.close());

  const write = async (entries: Entry[]): Promise<void> => {
    const { journal } = await it_.journals.load("r1", "w");
    await journal.write(entries.map((entry) => ({ entry, open: printJson(entry), sealed: undefined })));
  };
  const types = async (): Promise<string[]> =>
    (await it_.journals.load("r1", "w")).entries.map(({ type }) => type);

  it("that calls it finds it stopped by another, and leaves it so", async () => {
    await Promise.all([
      runner.children.stop("r1", { kind: "run", id: "a" }),
      runner.children.stop("r1", { kind: "run", id: "b" }),
    ]);
    expect(await types()).toEqual(["rested", "stopping", "finished"]);
  });

  it("comes too late if the run ends between the look at it and the act, and writes nothing", async () => {
    const { load } = it_.journals;
    it_.journals.load = async (run, workflow) => {
      it_.journals.load = load;
      await write([{ type: "finished", at: 3, state: "succeeded", problems: 0 }]);
      return load.call(it_.journals, run, workflow);
    };
    await expect(acts.stop(row, { now: false, by: { kind: "token", id: "op" } })).rejects.toThrow(
      "it is succeeded",
    );
    expect(await types()).toEqual(["rested", "finished"]);
  });
});
