import { describe, expect, it } from "vitest";
import { readWorkflow } from "./read.js";

const file = (fields: Record<string, string> = {}) => `copper-kettle: 1
name: greet-guest
inputs:
  type: object
  properties: { email: { type: string } }
steps:
  - step: guest
    request: GET https://stays.huts.example/guests?email=\${inputs.email}
    success: ${fields["steps[0].success"] ?? "status == 200"}
  - step: known
    if: ${fields["steps[1].if"] ?? "size(steps.guest.body.items) > 0"}
    then:
      - step: old
        set: { id: "\${steps.guest.body.items[0].id}" }
  - step: huts
    each: ${fields["steps[2].each"] ?? "lists.range(3)"}
    as: hut
    collect: ${fields["steps[2].collect"] ?? "hut"}
    steps:
      - step: one
        only-if: ${fields["steps[2].steps[0].only-if"] ?? "hut > 1"}
        note: "\${variables.id}"
`;
/** Each text in each field. */
const fields = [
  "steps[0].success",
  "steps[1].if",
  "steps[2].each",
  "steps[2].collect",
  "steps[2].steps[0].only-if",
];
const texts = [
  "status == 200",
  "steps.gest.status",
  "steps.guest.status == 200",
  "steps.old.id",
  "steps.one == null",
  "hut > 2",
  "hutt",
  "inputs.mail",
  "size(",
  "5",
  "true",
  "variables.id == null",
  "steps.known",
];

describe("the text of one field", () => {
  it.each(fields)("%s: the same is found by itself as in the whole file", (field) => {
    const read = readWorkflow(file());
    for (const text of texts) {
      const whole = readWorkflow(file({ [field]: text })).problems.filter((one) => one.field === field);
      const alone = read.judge(field, text) ?? [];
      const brief = (list: { severity: string; code: string; message: string }[]) =>
        list.map(({ severity, code, message }) => `${severity} ${code} ${message}`).sort();
      expect(brief(alone), text).toEqual(brief(whole));
    }
  });

  it("is found at its place in the text", () => {
    const [found] = readWorkflow(file()).judge("steps[1].if", "size(steps.gest.body) > 0") ?? [];
    expect(found).toMatchObject({ code: "reference", start: 5, end: 20 });
    expect(found?.message).toContain('did you mean "guest"');
    const [inText] =
      readWorkflow(file()).judge("steps[0].request", "GET https://x.huts.example/${steps.nowhere}") ?? [];
    expect(inText).toMatchObject({ severity: "error", start: 29 });
  });

  it("sees no step that comes later, though it was read before", () => {
    const read = readWorkflow(file());
    expect(read.judge("steps[1].if", "steps.huts.count > 0")).toHaveLength(1);
    expect(read.judge("steps[2].each", "steps.guest.body.items")).toEqual([]);
  });

  it("is not judged where the file has no such field, or could not be read", () => {
    expect(readWorkflow(file()).judge("steps[9].if", "nowhere")).toBeUndefined();
    expect(readWorkflow("copper-kettle: [").judge("steps[0].if", "nowhere")).toBeUndefined();
  });
});
