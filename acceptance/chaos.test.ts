import { execFile } from "node:child_process";
import { join } from "node:path";
import { pathToFileURL } from "node:url";
import { beforeAll, describe, expect, it } from "vitest";
import { root } from "./kit.js";

it("killed again and again with faults on, the journals say what the stand-in saw", async () => {
  const args = [join(root, "scripts/chaos.mjs"), "--built", "--kills", "6", "--seed", "2041"];
  const said = await new Promise<string>((resolve) => {
    execFile(process.execPath, args, (error, out, err) => resolve(error ? `${out}${err}` : out));
  });
  expect(said).toMatch(/^Seed 2041: killed \d+ times/);
  expect(said).toContain("The journals and the stand-in's log agree.");
  expect(said).toMatch(/[1-9]\d* succeeded/);
  expect(said).toMatch(/[1-9]\d* deliveries were answered, [1-9]\d* guests could be seen/);
}, 170_000);

/** What the comparison is given: as `npm run chaos` gathers it. */
interface Seen {
  runs: { id: string; workflow?: string; state: string; entries: Record<string, unknown>[] }[];
  started: { id: string; name: string; inputs: { email?: string }; key: string }[];
  stopped: Map<string, number>;
  guests: { email: string }[];
  requests: { method: string; headers: Record<string, string>; status: number }[];
  remembered: number;
}

describe("the comparison of journals with what a stand-in saw", () => {
  let differences: (seen: Seen) => string[];
  beforeAll(async () => {
    const { href } = pathToFileURL(join(root, "scripts/chaos/compare.mjs"));
    ({ differences } = (await import(href)) as { differences: typeof differences });
  });

  const sent = (run: string, call: string, key?: string): Seen["requests"][number] => ({
    method: "POST",
    headers: { "x-run": run, "x-call": call, ...(key ? { "idempotency-key": key } : {}) },
    status: 201,
  });
  const did = (path: string, more: object = {}): Record<string, unknown>[] => [
    { type: "sending", path, attempt: 1 },
    { type: "attempt", path, attempt: 1, response: { status: 201 } },
    { type: "ended", path, kind: "request", ...more },
  ];
  /** One run of each kind, one that another called, and one that was stopped: all as they should be. */
  const good = (): Seen => ({
    started: [
      { id: "p", name: "plain", inputs: {}, key: "k1" },
      { id: "k", name: "keyed", inputs: {}, key: "k2" },
      { id: "e", name: "ensured", inputs: { email: "member-1@alpha.example" }, key: "k3" },
      { id: "t", name: "together", inputs: {}, key: "k4" },
      { id: "q", name: "parent", inputs: {}, key: "k5" },
      { id: "s", name: "plain", inputs: {}, key: "k6" },
    ],
    stopped: new Map([["s", 100]]),
    runs: [
      { id: "p", state: "succeeded", entries: [...did("made"), ...did("again")] },
      { id: "k", state: "succeeded", entries: [...did("made"), ...did("again")] },
      { id: "e", state: "succeeded", entries: did("there/create") },
      {
        id: "t",
        state: "succeeded",
        entries: [
          ...did("both.left/first"),
          ...did("both.right/second"),
          { type: "ended", path: "kept", kind: "remember" },
        ],
      },
      { id: "q", state: "succeeded", entries: did("made") },
      {
        id: "c",
        workflow: "keyed",
        state: "succeeded",
        entries: [
          { type: "started", trigger: { caller: { run: "q", path: "called" } } },
          ...did("made"),
          ...did("again"),
        ],
      },
      { id: "s", state: "stopped", entries: [...did("made"), { type: "stopping" }, { type: "finished" }] },
    ],
    guests: [
      ...["plain-p", "second-p", "keyed-k", "late-k", "member-1", "left-t", "right-t"],
      ...["parent-q", "keyed-c", "late-c", "plain-s"],
    ].map((name) => ({ email: `${name}@alpha.example` })),
    requests: [
      sent("p", "made"),
      sent("p", "again"),
      sent("k", "made", "one"),
      sent("k", "made", "one"),
      sent("k", "again", "two"),
      sent("e", "there"),
      sent("t", "left"),
      sent("t", "right"),
      sent("q", "made"),
      sent("c", "made", "three"),
      sent("c", "again", "four"),
      sent("s", "made"),
    ],
    remembered: 1,
  });
  const run = (seen: Seen, id: string): Seen["runs"][number] =>
    seen.runs.find((one) => one.id === id) as Seen["runs"][number];
  const again = (seen: Seen, id: string): void =>
    void run(seen, id).entries.push({ type: "sending", path: "made", attempt: 2 });

  it("finds nothing where all is as it should be", () => {
    const seen = good();
    again(seen, "k"); // it was sent twice with its key
    expect(differences(seen)).toEqual([]);
  });

  it.each<[string, (seen: Seen) => void, RegExp]>([
    ["a run that is lost", (seen) => void seen.runs.shift(), /p: accepted, and lost/],
    [
      "a start that made two",
      (seen) => void seen.runs.push({ ...run(seen, "p"), id: "x" }),
      /6 starts made 7 runs/,
    ],
    [
      "two starts that are one run",
      (seen) => void ((seen.started[1] as { id: string }).id = "p"),
      /Two keys started one run/,
    ],
    [
      "a step that called two runs",
      (seen) => void seen.runs.push({ ...run(seen, "c"), id: "x" }),
      /x: q called called two runs/,
    ],
    [
      "a run that goes on for nobody",
      (seen) => void (run(seen, "c").state = "waiting"),
      /c: is waiting, and who called it is succeeded/,
    ],
    [
      "a stop that was forgotten",
      (seen) => void (run(seen, "s").entries = did("made")),
      /s: its stop was answered, and is not in the journal/,
    ],
    [
      "a stop that stopped nothing",
      (seen) => void run(seen, "s").entries.push({ type: "begun", path: "again", at: 101 }),
      /s: it began something after its stop was answered/,
    ],
    [
      "a run that came to no end",
      (seen) => void (run(seen, "p").state = "waiting"),
      /p: is waiting in the end/,
    ],
    [
      "a call that was done twice",
      (seen) => void seen.guests.push({ email: "plain-p@alpha.example" }),
      /p \(plain\) made: done 2 times/,
    ],
    [
      "a call that the journal does not know",
      (seen) => void seen.requests.push(sent("p", "made")),
      /2 requests arrived, 1 are in the journal/,
    ],
    [
      "a call that the journal says was done",
      (seen) => void seen.guests.shift(),
      /made: the journal says done, and it is not/,
    ],
    [
      "a call that the journal says failed",
      (seen) =>
        void (run(seen, "p").entries = [...did("made", { error: { code: "response" } }), ...did("again")]),
      /made: the journal says failed, and it was done/,
    ],
    [
      "a call that nobody noted before it went",
      (seen) => {
        run(seen, "p").entries = did("again");
        seen.requests.shift();
      },
      /made: done, and nothing of it is in the journal/,
    ],
    [
      "a key that changed at a repeat",
      (seen) => {
        again(seen, "k");
        (seen.requests[3] as { headers: object }).headers = sent("k", "made", "other").headers;
      },
      /it came with 2 keys/,
    ],
    [
      "a key that two calls share",
      (seen) => {
        again(seen, "k");
        (seen.requests[4] as { headers: object }).headers = sent("k", "again", "one").headers;
      },
      /it has the key of k \(keyed\) made/,
    ],
    [
      "a guest who was ensured, and is not there",
      (seen) => void seen.guests.splice(4, 1),
      /ensured, and there are 0/,
    ],
    [
      "a count that went wrong",
      (seen) => void (seen.remembered = 2),
      /1 runs have counted themselves, and the remembered count is 2/,
    ],
  ])("finds %s", (_, spoil, words) => {
    const seen = good();
    again(seen, "k");
    spoil(seen);
    expect(differences(seen).join("\n")).toMatch(words);
  });

  it("takes a call that nobody has decided about either way", () => {
    for (const there of [true, false]) {
      const seen = good();
      again(seen, "k");
      run(seen, "p").state = "unsure";
      run(seen, "p").entries = [{ type: "sending", path: "made", attempt: 1 }];
      seen.requests.splice(1, 1);
      seen.guests.splice(there ? 1 : 0, there ? 1 : 2);
      expect(differences(seen)).toEqual([]);
    }
  });
});

/** What the comparison of triggers is given. */
interface Triggered {
  runs: Record<string, unknown>[];
  events: Record<string, unknown>[];
  delivered: { workflow: string; id: string }[];
  guests: { id: string }[];
  requests: { path: string; body: unknown }[];
}

describe("the comparison of what came with what triggers started", () => {
  let differences: (seen: Triggered) => string[];
  beforeAll(async () => {
    const { href } = pathToFileURL(join(root, "scripts/chaos/triggered.mjs"));
    ({ triggerDifferences: differences } = (await import(href)) as {
      triggerDifferences: typeof differences;
    });
  });
  const ran = (id: string, workflow: string, inputs: object, more: object = {}) => ({
    id,
    workflow,
    state: "succeeded",
    inputs,
    trigger: { at: `2027-03-01T05:00:0${id.slice(1)}Z` },
    startedAt: `2027-03-01T05:00:0${id.slice(1)}.100Z`,
    endedAt: `2027-03-01T05:00:0${id.slice(1)}.200Z`,
    ...more,
  });
  const event = (id: string, workflow: string, run: string | null, state = "started") => ({
    id,
    workflow,
    run,
    runs: run === null ? 0 : 1,
    runsOf: run === null ? [] : [run],
    state,
    brought: { body: { id: "d-3" } },
  });
  const scan = { id: "d-4", scan: "0123456789".repeat(500) };
  const good = (): Triggered => ({
    runs: [
      ran("r1", "told", { id: "d-1", guest: "odd" }),
      ran("r2", "told", { id: "d-2", guest: "odd" }),
      ran("r3", "watched", { id: "g-1" }),
      ran("r4", "ticks", {}),
      ran("r5", "ticks", {}),
      ran("r6", "several", { id: "i-1" }),
      ran("r7", "several", { id: "i-2" }),
      ran("r8", "carried", { id: "d-4" }),
    ],
    events: [
      ...["r1", "r2"].map((run) => event(`e-${run}`, "told", run)),
      event("e-r3", "watched", "r3"),
      ...["r4", "r5"].map((run) => event(`e-${run}`, "ticks", run)),
      { ...event("e-s", "several", "r6"), runs: 2, runsOf: ["r6", "r7"] },
      event("e-c", "carried", "r8"),
      event("e-6", "named", null, "refused"),
    ],
    delivered: [
      { workflow: "told", id: "d-1" },
      { workflow: "told", id: "d-2" },
      { workflow: "named", id: "d-3" },
      { workflow: "several", id: "i-1" },
      { workflow: "carried", id: "d-4" },
    ],
    guests: [{ id: "g-1" }],
    requests: [{ path: "/carried/d-4", body: scan }],
  });

  it("agrees where all is as it should be", () => expect(differences(good())).toEqual([]));

  it.each<[string, (seen: Triggered) => void]>([
    ["d-1: it was answered, and 0 runs", ({ runs, events }) => (runs.shift(), events.shift())],
    [
      "d-2: it was answered, and 2 runs",
      ({ runs }) => Object.assign(runs[0] ?? {}, { inputs: { id: "d-2" } }),
    ],
    ["d-3: it was answered, and 0 runs", ({ events }) => events.pop()],
    ["r1 (told): 0 events started it", ({ events }) => events.shift()],
    ["r1 (told): 2 events started it", ({ events }) => events.push(event("e-9", "told", "r1"))],
    ["r9: an event started it, and it is not there", ({ events }) => events.push(event("e-9", "told", "r9"))],
    [
      "The event e-s is started, says 2 runs, and 1",
      ({ events }) => Object.assign(events[5] ?? {}, { runsOf: ["r6"] }),
    ],
    ["d-4: the file of carried was sent nowhere", ({ requests }) => requests.pop()],
    ["d-4: its file came as", ({ requests }) => Object.assign(requests[0] ?? {}, { body: { id: "d-4" } })],
    ["The guest g-1 started 0 runs", ({ runs }) => Object.assign(runs[2] ?? {}, { inputs: {} })],
    ["The guest g-2 started 0 runs", ({ guests }) => guests.push({ id: "g-2" })],
    [
      "A beat started two runs",
      ({ runs }) => Object.assign(runs[4] ?? {}, { trigger: runs[3]?.["trigger"] }),
    ],
    [
      "r2: it began before r1 had ended",
      ({ runs }) => Object.assign(runs[1] ?? {}, { startedAt: "2027-03-01T05:00:01.150Z" }),
    ],
    [
      "The event e-7 is still being fetched",
      ({ events }) => events.push(event("e-7", "named", null, "arrived")),
    ],
    ["r4 (ticks): is queued in the end", ({ runs }) => Object.assign(runs[3] ?? {}, { state: "queued" })],
  ])("finds: %s", (says, spoil) => {
    const seen = good();
    spoil(seen);
    expect(differences(seen).join("\n")).toContain(says);
  });
});
