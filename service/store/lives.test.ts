import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { execute, selectList } from "./database.js";
import { LifeStore } from "./lives.js";
import { TestStore } from "./store.test.kit.js";

describe("the lives of the service", () => {
  let it_: TestStore;
  beforeEach(async () => void (it_ = await TestStore.open()));
  afterEach(() => it_.close());
  const live = async (from: number, seen: number, ended?: number): Promise<LifeStore> => {
    const life = await LifeStore.begun(it_.writer, from);
    await life.sign(seen);
    if (ended !== undefined) await life.end(ended);
    return life;
  };

  it("give the stops between them: after an end, or after the last sign of life where it was killed", async () => {
    await live(1_000, 1_500, 2_000);
    await live(2_100, 2_500);
    const now = await live(3_000, 3_100);
    const [first, second] = [
      { from: 2_000, to: 2_100 },
      { from: 2_500, to: 3_000 },
    ];
    expect(await now.stops(0, 9_000)).toEqual([first, second]);
    // Only those of the span.
    expect(await now.stops(2_050, 2_400)).toEqual([first]);
    expect(await now.stops(2_200, 2_400)).toEqual([]);
    // It had ended before the service was back: it may have ended before the kill as well.
    expect(await now.stops(2_200, 2_600)).toEqual([]);
    expect(await now.stops(2_600, 3_000)).toEqual([second]);
    expect(await now.stops(3_000, 9_000)).toEqual([]);
    expect(await now.stops(1_000, 2_500)).toEqual([first]);
  });

  it("are no reason not to start or to stop where nothing can be written", async () => {
    await execute(it_.store.connection, "ALTER TABLE lives RENAME TO gone");
    const life = await LifeStore.begun(it_.writer, 1_000);
    await life.end(2_000);
    await execute(it_.store.connection, "ALTER TABLE gone RENAME TO lives");
    expect(await life.stops(0, 9_000)).toEqual([]);
  });

  it("show the last twenty stops of a run, and keep a thousand lives", async () => {
    for (let at = 0; at < 1_010; at++) await live(at * 10, at * 10 + 1, at * 10 + 5);
    const last = await live(50_000, 50_000);
    const stops = await last.stops(0, 60_000);
    expect(stops).toHaveLength(20);
    expect(stops.at(-1)).toEqual({ from: 10_095, to: 50_000 });
    expect(await selectList(it_.store, "SELECT count(*) AS count FROM lives")).toEqual([{ count: 1_000 }]);
  });
});
