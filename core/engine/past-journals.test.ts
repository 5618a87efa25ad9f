import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import type { Entry } from "./entries.js";
import { World } from "./fakes.test.kit.js";
import { currentEntry } from "./formats.js";
import { emptySummary, summarise } from "./summary.js";

/** A run as an older engine left it: its file in the words of now, what it came to, and how often it sent. */
interface Past {
  file: string;
  state: string;
  sent: number;
  entries: Entry[];
}

const folder = join(import.meta.dirname, "past-journals");
const past = readdirSync(folder)
  .filter((format) => /^\d+$/.test(format))
  .flatMap((format) =>
    readdirSync(join(folder, format))
      .filter((name) => name.endsWith(".json"))
      .map((name) => [`${format}/${name}`] as const),
  );

describe("a journal of an older format", () => {
  const read = (name: string): Past => JSON.parse(readFileSync(join(folder, name), "utf8")) as Past;
  const world = ({ file }: Past, entries: Entry[]): World => {
    const made = new World(file, () => ({ status: 201, body: { ok: true } }));
    made.time = (entries.at(-1)?.at ?? 0) + 86_400_000;
    made.children = { other: { state: "succeeded", masked: [], secrets: [] } };
    for (const entry of entries) made.add(currentEntry(entry));
    return made;
  };

  it.each(past)("comes to its end again, and sends nothing: %s", async (name) => {
    const one = read(name);
    const { entries } = one;
    expect(entries.at(-1)?.type).toBe("finished");
    const again = world(one, entries.slice(0, -1));
    expect((await again.run()).state).toBe(one.state);
    expect(again.sent).toEqual([]);
    expect(again.entries().at(-1)).toMatchObject({
      state: one.state,
      problems: (entries.at(-1) as { problems: number }).problems,
    });
    const summary = emptySummary();
    for (const entry of entries) summarise(summary, currentEntry(entry));
    expect(summary).toMatchObject({ state: one.state, waits: [], unsure: [] });
  });

  it.each(past)("goes on from any of its entries: %s", async (name) => {
    const one = read(name);
    for (let count = 1; count < one.entries.length; count++) {
      const again = world(one, one.entries.slice(0, count));
      again.options = undefined;
      const { state } = await again.run();
      expect(["succeeded", "failed", "waiting", "unsure"]).toContain(state);
      expect(again.entries().some(({ type }) => String(type) === "resumed")).toBe(false);
    }
  });

  it("of a format or a language that is not known is parked, and sends nothing", async () => {
    const one = read(past[0]?.[0] as string);
    for (const change of [{ format: 99 }, { format: 0 }, { language: 99 }]) {
      const [started] = one.entries as [Entry];
      const again = world(one, [{ ...started, ...change } as Entry]);
      expect((await again.run()).state).toBe("parked");
      expect(again.sent).toEqual([]);
    }
  });

  it("says what a run waited for under one name", () => {
    const rested = {
      type: "rested",
      at: 1,
      state: "held",
      path: "made",
      reason: "Waits for the lock guest.",
      lock: "guest",
    } as unknown as Entry;
    expect(currentEntry(rested)).toEqual({
      type: "rested",
      at: 1,
      state: "parked",
      path: "made",
      reason: "Waits for the lock guest.",
      waits: [{ kind: "lock", name: "guest", path: "made", reason: "Waits for the lock guest." }],
    });
  });
});
