import { describe, expect, it } from "vitest";
import { readYaml, yamlBounds, YamlBeyondBounds } from "./yaml-bounds.js";

describe("YAML within bounds", () => {
  it("is read with the number of its words and signs, and not at all beyond", () => {
    const text = "a: 1\nb:\n  - 2\n";
    const { document, tokens } = readYaml(text, yamlBounds(100));
    expect(document.toJS()).toEqual({ a: 1, b: [2] });
    expect(() => readYaml(text, { depth: 2, tokens })).not.toThrow();
    expect(() => readYaml(text, { depth: 2, tokens: tokens - 1 })).toThrow(YamlBeyondBounds);
    expect(() => readYaml(text, { depth: 1, tokens })).toThrow(YamlBeyondBounds);
  });
});
