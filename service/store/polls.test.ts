import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { execute, select } from "./database.js";
import { LookStore } from "./looks.js";
import { seenKey, SeenStore } from "./seen.js";
import { TestStore } from "./store.test.kit.js";

const hour = 3_600_000;
const day = 24 * hour;

describe("what polls know", () => {
  let it_: TestStore;
  beforeEach(async () => {
    it_ = await TestStore.open();
    for (const name of ["short", "usual"])
      await execute(
        it_.store.connection,
        "INSERT INTO triggers (workflow, name, kind, version, changed_at) VALUES ('w', ?, 'poll', 1, 0)",
        [name],
      );
  });
  afterEach(() => it_.close());

  it("is forgotten when it was absent for long: a week, or as long as the file says", async () => {
    const seen = new SeenStore(it_.writer, it_.sealer);
    const id = seenKey("a");
    for (const name of ["short", "usual"]) {
      const row = seen.row("w", name, { id, changed: null, item: null });
      await it_.writer.commit({ records: [], statements: [row] });
      await seen.noteAbsent("w", name, { gone: [id], back: [] }, 0);
    }
    await seen.setState("w", "short", { primed: true, retain: 2 * hour }, 0);
    await seen.setState("w", "usual", { primed: true }, 0);
    const known = async () => [(await seen.known("w", "short")).size, (await seen.known("w", "usual")).size];
    await seen.prune(2 * hour);
    expect(await known()).toEqual([1, 1]);
    await seen.prune(2 * hour + 1);
    expect(await known()).toEqual([0, 1]);
    await seen.prune(7 * day + 1);
    expect(await known()).toEqual([0, 0]);
  });

  it("agrees with a person also while a look is under way that did not know it", async () => {
    const seen = new SeenStore(it_.writer, it_.sealer);
    await seen.setState("w", "usual", { primed: true, gone: 9 }, 0);
    await seen.agree("w", "usual");
    await seen.setState("w", "usual", { primed: true, gone: 9 }, 0);
    expect(await seen.state("w", "usual")).toMatchObject({ goneAgreed: true });
    await seen.setState("w", "usual", { primed: true }, 0, true);
    expect(await seen.state("w", "usual")).toEqual({ primed: true });
  });

  it("has its last twenty looks, without long bodies, as long as there is the poll", async () => {
    const looks = new LookStore(it_.writer);
    const attempt = (body: string) => ({ type: "attempt", response: { status: 200, body } });
    const entry = (body: string) => ({ type: "attempt", status: 200, open: JSON.stringify(attempt(body)) });
    for (let at = 0; at < 25; at++) await looks.note("w", "usual", at, [entry("short")]);
    const bodies = ["x".repeat(20_000), "x".repeat(300_000), ...Array.from({ length: 100 }, () => "page")];
    await looks.note("w", "usual", 25, bodies.map(entry));
    await looks.note("w", "short", 1, []);
    const found = await looks.list("w", "usual");
    expect(found.map(({ at }) => at)).toEqual(Array.from({ length: 20 }, (_, index) => 25 - index));
    expect(found[0]?.entries.slice(0, 3)).toEqual([
      attempt("(20002 characters, left out)"),
      attempt(`(${entry("x".repeat(300_000)).open.length} characters, left out)`),
      attempt("page"),
    ]);
    expect(found[0]?.entries).toHaveLength(20);
    expect(found[1]?.entries).toEqual([attempt("short")]);
    await execute(it_.store.connection, "DELETE FROM triggers WHERE name = 'usual'");
    await looks.prune();
    expect(await select(it_.store, "SELECT trigger_name AS name FROM looks")).toEqual([{ name: "short" }]);
  });
});
