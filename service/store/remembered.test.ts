import {
  emptySummary,
  parseJson,
  printJson,
  type Entry,
  type JsonObject,
  type RememberedChange,
} from "@copper-kettle/core";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { select } from "./database.js";
import { RememberedStore } from "./remembered.js";
import { RunJournal } from "./run-journal.js";
import { TestStore } from "./store.test.kit.js";

describe("values that outlive runs", () => {
  let it_: TestStore;
  let remembered: RememberedStore;
  const now = (): number => Date.UTC(2027, 2, 1);
  beforeEach(async () => {
    it_ = await TestStore.open();
    remembered = new RememberedStore(it_.writer, it_.sealer, now);
  });
  afterEach(() => it_.close());

  const changeOf = (key: string, values: JsonObject, masked: string[] = []): RememberedChange => {
    const shown = Object.fromEntries(
      Object.entries(values).map(([name, value]) => [name, masked.includes(name) ? "•••" : value]),
    );
    return { key, values, masked: masked.map((name) => [name]), shown, expires: undefined };
  };
  /** Changes values as a step does: in memory, and at once on its way to the disk, beside a large text or a small one. */
  const change = (run: string, next: RememberedChange, size: number): Promise<void> => {
    const journal = new RunJournal(it_.journals, run, "round", 0, emptySummary());
    remembered.of("round").change(next);
    const entry: Entry = { type: "ended", at: now(), path: "k", kind: "remember", outcome: "x".repeat(size) };
    return journal.write([
      { entry, open: printJson(entry), sealed: undefined, change: { remembered: next } },
    ]);
  };
  const onDisk = async (): Promise<JsonObject> => {
    const again = new RememberedStore(it_.writer, it_.sealer, now);
    await again.loadAll();
    return again.of("round").read("c").values;
  };

  it("count right, whichever run has to wait for a large text", async () => {
    const writes: Promise<void>[] = [];
    for (let count = 1; count <= 60; count++)
      writes.push(change(`run-${count}`, changeOf("c", { n: count }), count % 3 === 0 ? 100_000 : 10));
    await Promise.all(writes);
    expect(remembered.of("round").read("c").values).toEqual({ n: 60 });
    expect(await onDisk()).toEqual({ n: 60 });
  });

  it("are not held up for good by a run whose large text could not be written", async () => {
    const keep = it_.blobs.keep.bind(it_.blobs);
    it_.blobs.keep = async () => {
      throw new Error("ENOSPC");
    };
    const lost = change("run-1", changeOf("c", { n: 1 }), 100_000);
    const next = change("run-2", changeOf("c", { n: 2 }), 10);
    await expect(lost).rejects.toThrow("ENOSPC");
    await next;
    it_.blobs.keep = keep;
    expect(await onDisk()).toEqual({ n: 2 });
  });

  it("lie sealed where they hold a secret, and show without it; both are there after a restart", async () => {
    await change("run-1", changeOf("c", { token: "tok-1234567890", hut: "corrie" }, ["token"]), 10);
    const [row] = await select<{ data: string; sealed: Buffer }>(
      it_.store,
      "SELECT data, sealed FROM remembered",
    );
    expect(parseJson(row?.data ?? "")).toEqual({ token: "•••", hut: "corrie" });
    expect(row?.sealed.includes("tok-1234567890")).toBe(false);
    const again = new RememberedStore(it_.writer, it_.sealer, now);
    await again.loadAll();
    expect(again.of("round").read("c")).toEqual({
      values: { token: "tok-1234567890", hut: "corrie" },
      masked: [["token"]],
    });
    expect(again.list("round")[0]?.shown).toEqual({ token: "•••", hut: "corrie" });
  });

  it("that somebody forgets stay, where the disk does not take it, or a run sets them again meanwhile", async () => {
    await change("run-1", changeOf("c", { n: 1 }), 10);
    const write = it_.writer.write.bind(it_.writer);
    it_.writer.write = () => Promise.reject(new Error("SQLITE_FULL"));
    await expect(remembered.remove("round", "c")).rejects.toThrow("SQLITE_FULL");
    expect(remembered.of("round").read("c").values).toEqual({ n: 1 });
    it_.writer.write = write;
    const removing = remembered.remove("round", "c");
    await change("run-2", changeOf("c", { n: 2 }), 10);
    await removing;
    expect(remembered.of("round").read("c").values).toEqual({ n: 2 });
  });
});
