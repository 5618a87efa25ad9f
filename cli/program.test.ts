import { describe, expect, it } from "vitest";
import { buildProgram } from "./program.js";

describe("the program", () => {
  it("loads the command of its line alone, and finds each by its name", async () => {
    const all = (await buildProgram()).commands.map((command) => command.name());
    expect(all.length).toBeGreaterThan(25);
    for (const name of all) {
      const found = (await buildProgram(["--data", "status", "--json", name, "more"])).commands;
      expect(found.map((command) => command.name())).toContain(name);
      expect([name, found.length <= 3]).toEqual([name, true]);
    }
  });

  it("loads all of them for help, for a slip, and for nothing", async () => {
    const count = (await buildProgram()).commands.length;
    for (const line of [["help", "run"], ["--help"], ["rum", "list"], ["--url", "run"]])
      expect((await buildProgram(line)).commands).toHaveLength(count);
  });
});
