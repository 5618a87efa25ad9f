import { LineCounter } from "yaml";
import { describe, expect, it } from "vitest";
import { readYaml, yamlBounds, YamlBeyondBounds } from "./yaml-bounds.js";

describe("YAML that is read again", () => {
  it("gives the same document with the same lines, and another one within other bounds", () => {
    const text = "a: 1\nb:\n  - 2\n";
    const [first, second] = [new LineCounter(), new LineCounter()];
    const document = readYaml(text, yamlBounds(100), first);
    expect(readYaml(text, yamlBounds(100), second)).toBe(document);
    expect(second.lineStarts).toEqual(first.lineStarts);
    expect(second.linePos(5)).toEqual({ line: 2, col: 1 });
    expect(readYaml(`${text} `, yamlBounds(100))).not.toBe(document);
    // A text that was read is beyond smaller bounds all the same.
    expect(() => readYaml(text, yamlBounds(1))).toThrow(YamlBeyondBounds);
    expect(() => readYaml(text, { ...yamlBounds(100), depth: 0 })).toThrow(YamlBeyondBounds);
  });
});
