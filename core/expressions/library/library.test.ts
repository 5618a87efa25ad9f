import { describe, expect, it } from "vitest";
import { parseJson } from "../../values/json.js";
import { derivedUuid } from "../../values/digest.js";
import { compile } from "../compile.js";
import { evaluateToJson } from "../templates.js";
import { macroNames } from "../macros.js";
import { macroEntries } from "./macro-table.js";
import { functions } from "./table.js";

const surroundings = {
  now: () => Date.UTC(2027, 2, 1, 5),
  uuid: (place: string, count: number) => derivedUuid(place, count),
};

describe("the library's examples", () => {
  for (const entry of [...functions, ...macroEntries]) {
    it(`${entry.name} has help and two examples that hold`, () => {
      expect(entry.help).toMatch(/\.$/);
      expect(entry.examples.length).toBeGreaterThanOrEqual(2);
      for (const [expression, result] of entry.examples) {
        expect(evaluateToJson(compile(expression), {}, surroundings), expression).toEqual(parseJson(result));
      }
    });
  }

  it("every macro has an entry", () => {
    const names = macroEntries.map(({ name }) => name);
    for (const name of macroNames) if (name !== "existsOne") expect(names).toContain(name);
  });

  it("names each function once in each form", () => {
    const forms = functions.flatMap((entry) =>
      (entry.form === "both" ? ["function", "method"] : [entry.form]).map((form) => `${form} ${entry.name}`),
    );
    expect(new Set(forms).size).toBe(forms.length);
  });
});
