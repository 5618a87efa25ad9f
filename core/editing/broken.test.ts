import { describe, expect, it } from "vitest";
import { readInstead } from "../workflows/rename.js";
import { brokenReads } from "./broken.js";
import { moveStep, removeStep } from "./steps.js";

const file = `copper-kettle: 1
name: stays
steps:
  - { step: guest, request: GET https://stays.example/guests }
  - { step: guests, request: GET https://stays.example/all }
  - step: huts
    each: steps.guests.body.items
    as: hut
    collect: steps.told.status
    steps:
      # steps.guest is read twice here
      - { step: told, request: "POST https://boards.example/\${steps.guest.body.id}/\${steps.guest.status}" }
  - { step: reply, note: "\${steps.guest.status} for \${steps.nowhere}" }
`;

describe("what is read in vain since an edit", () => {
  it("is named with its reader, once each, and not what was read in vain before", () => {
    const { text } = removeStep(file, ["steps", 0]);
    expect(brokenReads(file, text)).toEqual([
      { reader: "told", path: ["steps", 1, "steps", 0], reads: "guest", instead: ["guests"] },
      { reader: "reply", path: ["steps", 2], reads: "guest", instead: ["guests", "huts"] },
    ]);
    expect(brokenReads(file, file)).toEqual([]);
    expect(brokenReads(file, "steps: [")).toEqual([]);
  });

  it("is known of a move before it is made: what would come later, and what reads out of a loop", () => {
    const later = moveStep(file, ["steps", 1], { list: ["steps"], index: 4 }).text;
    expect(brokenReads(file, later)).toMatchObject([{ reader: "huts", reads: "guests", instead: ["guest"] }]);
    const out = moveStep(file, ["steps", 2, "steps", 0], { list: ["steps"], index: 4 }).text;
    expect(brokenReads(file, out)).toMatchObject([{ reader: "huts", reads: "told" }]);
    expect(brokenReads(file, moveStep(file, ["steps", 1], { list: ["steps"], index: 0 }).text)).toEqual([]);
  });

  it("reads another step instead, only where it is asked for, and nothing else changes", () => {
    const { text } = removeStep(file, ["steps", 0]);
    const mended = readInstead(text, ["steps", 1, "steps", 0], "guest", "guests");
    expect(mended).toBe(
      text
        .replace("steps.guest.body.id", "steps.guests.body.id")
        .replace('${steps.guest.status}" }', '${steps.guests.status}" }'),
    );
    expect(brokenReads(text, mended)).toEqual([]);
    expect(brokenReads(file, mended)).toMatchObject([{ reader: "reply", reads: "guest" }]);
    expect(() => readInstead(text, ["steps", 1], "guest", "no name")).toThrow("cannot be a name");
  });
});
