import { describe, expect, it } from "vitest";
import { briefJson } from "../values/brief.js";
import { parseJson } from "../values/json.js";
import { mostParts, unfold, unfoldTemplate, type Part } from "./unfold.js";
import type { ValueMap } from "./values.js";

const scope = {
  guests: [
    { name: "Ida", beds: 2, email: null },
    { name: "Ole", beds: 3, email: "ole@huts.example" },
  ],
  none: [],
  season: { open: true, from: "2026-06-01" },
} as ValueMap;
const surroundings = { now: () => 0, uuid: () => "id" };

/** Each part on a line: its depth, its text, what it gives. */
const lines = (parts: Part[]): string[] =>
  parts.map(
    ({ depth, text, value, fault, first, unused }) =>
      `${"  ".repeat(depth)}${text} = ${fault ? "fault" : value === undefined ? "nothing" : briefJson(value, 40)}${first ? ` (${first})` : ""}${unused ? " (unused)" : ""}`,
  );
const of = (text: string): string[] => lines(unfold(text, scope, surroundings));

describe("an expression taken apart", () => {
  it("shows each part with what it gives, and the body of a loop for its first item", () => {
    expect(of("guests.filter(g, g.beds > 2).map(g, g.name) + ['none']")).toEqual([
      'guests.filter(g, g.beds > 2).map(g, g.name) + ["none"] = ["Ole","none"]',
      '  guests.filter(g, g.beds > 2).map(g, g.name) = ["Ole"]',
      '    guests.filter(g, g.beds > 2) = [{"name":"Ole","beds":3,"email":"ole@hu…',
      '      guests = [{"name":"Ida","beds":2,"email":null},{…',
      "      g.beds > 2 = false (g is the first)",
      "        g.beds = 2",
      '    g.name = "Ole" (g is the first)',
      '  ["none"] = ["none"]',
    ]);
  });

  it("says which part is not needed", () => {
    expect(of("season.open ? season.from : season.until")).toEqual([
      'season.open ? season.from : season.until = "2026-06-01"',
      "  season.open = true",
      '  season.from = "2026-06-01"',
      "  season.until = fault (unused)",
    ]);
    expect(of("season.open == false ? season.until : season.from").slice(-2)).toEqual([
      "  season.until = fault (unused)",
      '  season.from = "2026-06-01"',
    ]);
    expect(of("size(none) > 0 && none[0].open")).toEqual([
      "size(none) > 0 && none[0].open = false",
      "  size(none) > 0 = false",
      "    size(none) = 0",
      "      none = []",
      "  none[0].open = fault (unused)",
    ]);
    expect(of('default(season.from, season.open ? "a" : "b")').slice(2)).toEqual([
      '  season.open ? "a" : "b" = "a" (unused)',
      "    season.open = true (unused)",
    ]);
    expect(of('default(guests[0].email, "none")')).toEqual([
      'default(guests[0].email, "none") = "none"',
      "  guests[0].email = null",
    ]);
  });

  it("knows the names of every form that binds one", () => {
    expect(of("guests.transformList(i, g, i + g.beds)")[2]).toBe(
      "  i + g.beds = 2 (i is the first, g is the first)",
    );
    expect(of("season.transformMap(k, v, k)")[2]).toBe('  k = "open" (k is the first, v is the first)');
    expect(of("season.exists(k, k == 'open')")[2]).toBe('  k == "open" = true (k is the first)');
    expect(of("season.?from.optMap(d, d + 'T')")[2]).toBe('  d + "T" = "2026-06-01T" (d is the first)');
    expect(of("guests.sumBy(g, g.beds)")[2]).toBe("  g.beds = 2 (g is the first)");
    expect(of("cel.bind(n, size(guests), n * n)").slice(1)).toEqual([
      "  size(guests) = 2",
      '    guests = [{"name":"Ida","beds":2,"email":null},{…',
      "  n * n = 4",
      "    n = 2",
      "    n = 2",
    ]);
    // Nothing stands for the item of a list that has none.
    expect(of("none.map(g, g.beds)")).toEqual(["none.map(g, g.beds) = []", "  none = []"]);
  });

  it("explains functions, and goes through the expressions of a text", () => {
    const parts = unfoldTemplate(
      "to ${upperAscii('a')}: ${math.greatest(1, 2)} ${upperAscii(missing)}",
      {},
      surroundings,
    );
    expect(lines(parts)).toEqual([
      'upperAscii("a") = "A"',
      "math.greatest(1, 2) = 2",
      "upperAscii(missing) = fault",
      "  missing = fault",
    ]);
    expect(parts.slice(0, 2).map(({ help }) => typeof help)).toEqual(["string", "string"]);
  });

  it("ends, whatever it is given", () => {
    expect(
      unfold(Array.from({ length: 300 }, () => "season.from").join(" + "), scope, surroundings),
    ).toHaveLength(mostParts);
    const heavy = "lists.range(90000).map(i, i * 2).filter(i, i > 7)";
    const parts = unfold(Array.from({ length: 20 }, () => heavy).join(" + "), scope, surroundings);
    expect(parts[0]?.fault).toContain("does too much");
    expect(parts.at(-1)?.fault).toContain("do too much together");
    // What is too large to be handed on is a fault of the part, too.
    const large = Array.from({ length: 600_000 }, () => "0123456789");
    const handed = unfold("[[b, b], [b, b]]", { b: large } as ValueMap, surroundings);
    expect(handed[0]?.fault).toBeDefined();
    expect(() => unfold("size(", scope, surroundings)).toThrow("ends too early");
  });
});

describe("JSON that is cut", () => {
  it("is the beginning of what it would be, and prints no more than that", () => {
    for (const text of ['{"a":[1,{"b":"two"}],"c":null}', "12345678901234567890123", '"hut"', "[]", "true"]) {
      expect(briefJson(parseJson(text))).toBe(text);
      const cut = briefJson(parseJson(text), 6);
      expect(cut.length).toBeLessThanOrEqual(6);
      expect(cut === text || text.startsWith(cut.slice(0, -1))).toBe(true);
    }
    let read = 0;
    const list = new Proxy(
      Array.from({ length: 100_000 }, () => 1),
      {
        get: (target, key) => (read++, Reflect.get(target, key)),
        ownKeys: () => {
          throw new Error("All of it was read.");
        },
      },
    );
    expect(briefJson(list, 20)).toBe("[1,1,1,1,1,1,1,1,1,…");
    expect(read).toBeLessThan(100);
  });
});
