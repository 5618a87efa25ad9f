import { describe, expect, it } from "vitest";
import { readWorkflow } from "./read.js";

/** What is said of a file with one step, or of one with other keys at its top. */
const said = (step: string, more = "") =>
  readWorkflow(
    `copper-kettle: 1\nname: t\n${more}inputs: { type: object, properties: { email: { type: string } } }\nsteps:\n  - ${step}\n`,
  ).problems.map(({ severity, message }) => `${severity}: ${message}`);
const call = "step: a\n    request: POST https://stays.huts.example/guests\n    ";

describe("what people write who come from other files", () => {
  it.each([
    ["step: a\n    sleep: 5m", 'There is no step kind "sleep"; write wait: { for: 5m }.'],
    ["step: a\n    wait: 10m", "Write wait: { for: 10m }."],
    ["step: a\n    wait: { seconds: 5 }", 'There is no key "seconds" here; write for: 5m.'],
    ["step: a\n    log: hello", 'There is no step kind "log"; write note: text.'],
    ["step: a\n    call: other", 'There is no step kind "call"; write workflow: NAME-OF-A-WORKFLOW.'],
    ["step: a\n    try: []\n    catch: []", 'There is no step kind "try"; write group: [steps]'],
    [
      "step: a\n    for-each: hut in huts\n    steps: []",
      'There is no step kind "for-each"; write each: list',
    ],
    ["step: a\n    each: '[1]'\n    do: []", 'There is no key "do" here; write steps: [steps].'],
    ["step: a\n    note: hi\n    when: true", 'There is no key "when" here; write only-if: condition.'],
    ["name: a\n    note: hi", 'There is no key "name" here; write step: NAME.'],
    [`${call}json: { a: 1 }`, 'There is no key "json" here; write body: { json: … }.'],
    [`${call}body: { email: x }`, 'There is no key "email" here; write body: { json: … }.'],
    [`${call}params: { a: 1 }`, 'There is no key "params" here; write query: { name: value }.'],
    [`${call}auth: stays-key`, 'There is no key "auth" here; write using: NAME-OF-A-CREDENTIAL.'],
    [`${call}retry: 3`, "Write retry: { times: 3 }."],
    [`${call}retry: { times: 3, delay: 5s }`, 'There is no key "delay" here; write wait: 5s.'],
    [`${call}on_error: continue`, "write catch: [steps], or keep-going: true."],
    [
      "step: a\n    request: { method: PUT, url: https://stays.huts.example }",
      "Write request: PUT https://stays.huts.example.",
    ],
    ["step: a\n    cases: [{ when: true, then: [] }]", 'There is no key "when" here; write if: condition.'],
    ["step: a\n    set: { x = 5 }", '"x = 5" is a key without a value. Write x: 5.'],
    ["step: a\n    if: {{inputs.email}}\n    then: []", "write it without {{ and }}."],
  ])("%s", (step, meant) => {
    expect(said(step).join("\n")).toContain(meant);
  });

  it.each([
    ["on: { schedule: daily }\n", 'There is no key "on" here; write triggers:'],
    [
      "triggers: { nightly: { cron: '0 6 * * *' } }\n",
      'There is no trigger kind "cron"; write schedule: { cron:',
    ],
    ["description: A word\n", 'There is no key "description" here; write about: text.'],
  ])("%s at the top", (more, meant) => {
    expect(said("step: a\n    note: hi", more).join("\n")).toContain(meant);
  });

  it("a misspelt key is still taken for the one that is nearest", () => {
    expect(said(`${call}querry: { a: 1 }`).join()).toContain('did you mean "query"?');
    expect(said("step: a\n    reqest: GET https://x.huts.example").join()).toContain(
      'did you mean "request"?',
    );
  });

  it("values in the form of other tools are said to be plain text, wherever a text stands", () => {
    const warns = (name: string) => `warning: This is plain text. Write \${${name}} to put the value in.`;
    expect(said('step: a\n    note: "to {{ inputs.email }}"')).toEqual([warns("inputs.email")]);
    expect(said("step: a\n    note: to $inputs.email")).toEqual([warns("inputs.email")]);
    expect(said(`${call}body: { json: { to: ["{{inputs.email}}"] } }`)).toEqual([warns("inputs.email")]);
    expect(said('step: a\n    note: "${inputs.email} {{ inputs.email }}"')).toEqual([warns("inputs.email")]);
    // Not what only looks like it.
    expect(
      said("step: a\n    note: \"{{ guest.email }} costs $10.50, $HOME ${'{{ inputs.email }}'}\""),
    ).toEqual([]);
  });

  it("a value in the place of one that is absent, and an index from the end, are written in another way", () => {
    expect(said("step: a\n    note: ${inputs.email || 'nobody'}").join()).toContain(
      "write default(inputs.email, 'nobody').",
    );
    expect(said("step: a\n    note: ${['a', 'b'][-1]}").join()).toContain(
      "write ['a', 'b'].last().orValue(…).",
    );
    expect(said("step: a\n    if: inputs.email == 'a' || true\n    then: []").join()).not.toContain(
      "default(",
    );
  });

  it("takes time in proportion to the length of a text", () => {
    const long = "{{".repeat(40_000);
    const began = performance.now();
    said(`step: a\n    note: '${long}{{ ${"a".repeat(40_000)}'`);
    const both = "${inputs.email}{{ inputs.email }}".repeat(16_000);
    expect(said(`step: a\n    note: "${both}"`)).toHaveLength(1);
    expect(performance.now() - began).toBeLessThan(4_000);
  });
});
