import { getIndentation, IndentContext } from "@codemirror/language";
import { EditorState } from "@codemirror/state";
import { describe, expect, it } from "vitest";
import { indentBelow, yamlIndent } from "./yaml-indent.js";

describe("a new line of a file", () => {
  it.each([
    ["steps:", 2],
    ["  - step: more", 4],
    ["  - step: more # so", 4],
    ["    request: GET https://stays.example/guests", 4],
    ["    query:", 6],
    ["    query: # by e-mail", 6],
    ["    body: { json: {", 6],
    ["  - note: |", 6],
    ["      Two lines:", 8],
    ["  - { step: a, note: x }", 2],
    ["      - each of them", 6],
    ["    # a comment:", 4],
    ["", 0],
  ])("below %j is indented by %i", (line, columns) => expect(indentBelow(line)).toBe(columns));

  it("takes time in proportion to the length of the line", () => {
    // A sign that ends lines elsewhere, and not in an editor.
    const began = performance.now();
    for (const line of [`${": #".repeat(200_000)}\u2028`, "- ".repeat(200_000), ": ".repeat(200_000)])
      indentBelow(line);
    expect(performance.now() - began).toBeLessThan(4_000);
  });

  it("is so before the language has read the file", () => {
    const state = EditorState.create({ doc: "steps:\n  - step: more", extensions: [yamlIndent] });
    const at = state.doc.length;
    expect(getIndentation(new IndentContext(state, { simulateBreak: at }), at)).toBe(4);
    // The rest of a line that is broken stands below its first part.
    expect(getIndentation(new IndentContext(state, { simulateBreak: 6 }), 6)).toBe(2);
    expect(getIndentation(state, at)).not.toBe(4);
  });
});
