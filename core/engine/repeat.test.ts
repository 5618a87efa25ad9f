import { describe, expect, it } from "vitest";
import { readWorkflow } from "../workflows/read.js";
import type { Workflow } from "../workflows/steps.js";
import type { Entry } from "./entries.js";
import type { World } from "./fakes.test.kit.js";
import { CannotRepeat, reusedEntries, reusedSteps, type RepeatFrom } from "./repeat.js";
import { finished, urls, world } from "./steps/kit.test.kit.js";

const file = `  - { step: guest, request: "GET https://a.example/guest" }
  - step: known
    if: steps.guest.body.new
    then:
      - { step: made, request: "POST https://a.example/guests" }
      - { step: told, request: "POST https://a.example/told" }
    else: [{ step: old, note: old }]
  - step: round
    each: "[1, 2, 3]"
    as: n
    parallel: 1
    if-one-fails: continue
    steps:
      - { step: look, request: "GET https://a.example/look/\${n}" }
      - { step: post, request: "POST https://a.example/post/\${n}" }
  - step: both
    together:
      branches:
        left: [{ step: lefty, request: "POST https://a.example/left" }]
        right: [{ step: righty, request: "POST https://a.example/right" }]
  - { step: last, request: "POST https://a.example/last" }
`;
const workflow = readWorkflow(`copper-kettle: 1\nname: test\nsteps:\n${file}`).workflow as Workflow;

/** A run in which some POSTs are refused. */
async function ran(refused: string[] = []): Promise<World> {
  const it = world(file, ({ url }) =>
    refused.some((path) => url.endsWith(path)) ? { status: 403 } : { status: 200, body: { new: true } },
  );
  await it.run();
  return it;
}

/** Runs on from what is kept of an earlier run; what was sent this time. */
async function repeated(earlier: World, from: RepeatFrom, given = workflow): Promise<string[]> {
  const it = world(file, () => ({ status: 200, body: { new: true } }));
  it.start();
  for (const entry of reusedEntries(given, from, earlier.entries())) it.add(entry);
  expect((await it.run()).state).toBe("succeeded");
  return urls(it);
}

const paths = (entries: Entry[]): string[] => [
  ...new Set(entries.flatMap((entry) => ("path" in entry && entry.path ? [entry.path] : []))),
];

describe("a run that is repeated from a step", () => {
  it.each<[string, string[]]>([
    ["guest", []],
    ["known", ["guest"]],
    ["made", ["guest"]],
    ["told", ["guest", "made"]],
    ["round", ["guest", "known", "made", "told", "old"]],
    ["last", ["guest", "known", "made", "told", "old", "round", "look", "post", "both", "lefty", "righty"]],
  ])("%s keeps the steps before it, and not what lies around it", (step, kept) => {
    expect(reusedSteps(workflow, { step })).toEqual(kept);
  });

  it.each<[string, string[]]>([
    ["last", ["/last"]],
    ["both", ["/left", "/right", "/last"]],
    ["righty", ["/right", "/last"]],
    [
      "told",
      ["/told", "/look/1", "/post/1", "/look/2", "/post/2", "/look/3", "/post/3", "/left", "/right", "/last"],
    ],
  ])("%s sends what comes from there on, and nothing of what was before", async (step, sent) => {
    expect((await repeated(await ran(["/last"]), { step })).sort()).toEqual(sent.sort());
  });

  it("keeps the way that was chosen around it, whatever the values are now", async () => {
    const entries = reusedEntries(workflow, { step: "told" }, (await ran()).entries());
    expect(paths(entries)).toEqual(["guest", "known", "made"]);
    expect(entries.find((entry) => entry.type === "begun" && entry.path === "known")).toMatchObject({
      data: { chose: "then" },
    });
    expect(entries.some((entry) => entry.type === "ended" && entry.path === "known")).toBe(false);
  });

  it("keeps the secrets of the run, so that they stay masked", async () => {
    const it = await ran();
    it.add({ type: "secrets", at: 1, values: ["sk-very-secret"], places: [] });
    expect(reusedEntries(workflow, { step: "guest" }, it.entries())).toEqual([
      expect.objectContaining({ type: "secrets" }),
    ]);
  });

  it.each<[string, RegExp]>([
    ["pots", /There is no step "pots"/],
    ["post", /post is inside the loop round. Repeat from round, or only its failed items/],
  ])("%s is refused, and says what to do", (step, words) => {
    expect(() => reusedSteps(workflow, { step })).toThrow(CannotRepeat);
    expect(() => reusedSteps(workflow, { step })).toThrow(words);
  });
});

describe("the failed items of a loop", () => {
  const failed: RepeatFrom = { step: "round", items: "failed" };

  it("are done again, from their first step on; what is done stays done, and what follows comes", async () => {
    const earlier = await ran(["/post/2"]);
    expect(finished(earlier)).toMatchObject({ state: "succeeded", problems: 1 });
    expect(await repeated(earlier, failed)).toEqual(["/look/2", "/post/2", "/left", "/right", "/last"]);
  });

  it("count as failed where the loop never came to them", async () => {
    const stops = readWorkflow(
      `copper-kettle: 1\nname: test\nsteps:\n${file.replace("    if-one-fails: continue\n", "")}`,
    ).workflow as Workflow;
    const it = world(file.replace("    if-one-fails: continue\n", ""), ({ url }) =>
      url.endsWith("/post/2") ? { status: 403 } : { status: 200, body: { new: true } },
    );
    expect((await it.run()).state).toBe("failed");
    expect(await repeated(it, failed, stops)).toEqual([
      "/look/2",
      "/post/2",
      "/look/3",
      "/post/3",
      "/left",
      "/right",
      "/last",
    ]);
  });

  it.each<[RepeatFrom, RegExp]>([
    [failed, /No item of round failed/],
    [{ step: "guest", items: "failed" }, /guest is not a loop that had begun/],
  ])("%j is refused where there are none", async (from, words) => {
    const earlier = await ran();
    expect(() => reusedEntries(workflow, from, earlier.entries())).toThrow(words);
  });
});
