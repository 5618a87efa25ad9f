import { describe, expect, it } from "vitest";
import { firstChangedStep } from "./changed.js";

const file = `copper-kettle: 1
name: round
title: A round
steps:
  - { step: huts, request: GET https://a.example/huts }
  - step: round
    each: steps.huts.body
    as: hut
    steps:
      - { step: post, request: POST https://a.example/posts, retry: { times: 2 } }
  - step: choice
    if: "true"
    then: [{ step: yes, note: yes }]
    else: [{ step: no_, note: no }]
    catch: [{ step: caught, note: "\${error.code}" }]
  - { step: last, note: done }
`;
const all = ["huts", "round", "post", "choice", "yes", "no_", "caught", "last"];

describe("a step of another text", () => {
  it.each<[string, [string, string], string | undefined]>([
    ["nothing at all", ["", ""], undefined],
    ["the title of the workflow", ["title: A round", "title: Another"], undefined],
    ["the order of its keys", ["{ step: last, note: done }", '{ note: "done", step: last } # x'], "last"],
    ["a comment", ["  - { step: last, note: done }", "  - { step: last, note: done } # behind"], undefined],
    ["a call", ["GET https://a.example/huts", "GET https://b.example/huts"], "huts"],
    ["a step inside a loop: that one, and not the loop", ["times: 2", "times: 3"], "post"],
    ["the loop itself", ["as: hut", "as: cabin"], "round"],
    ["a branch", ["note: yes", "note: maybe"], "yes"],
    ["the other branch", ["note: no", "note: never"], "no_"],
    ["what is caught", ["${error.code}", "${error.message}"], "caught"],
    ["a condition", ['if: "true"', 'if: "false"'], "choice"],
    ["a name", ["step: last", "step: final"], "last"],
  ])("%s", (_, [from, to], step) => {
    expect(file).toContain(from);
    expect(
      firstChangedStep(
        file,
        file.replace(from, () => to),
        all,
      ),
    ).toBe(step);
  });

  it("is looked for among some steps only", () => {
    const other = file.replace("a.example/huts", "b.example/huts");
    expect(firstChangedStep(file, other, ["round", "post"])).toBeUndefined();
    expect(firstChangedStep(file, other, [])).toBeUndefined();
  });
});
