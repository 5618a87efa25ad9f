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
}, 170_000);

/** What the comparison is given: as `npm run chaos` gathers it. */
interface Seen {
  runs: { id: string; workflow?: string; state: string; entries: Record<string, unknown>[] }[];
  started: { id: string; name: string; inputs: { email?: string }; key: string }[];
  stopped: Set<string>;
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
    stopped: new Set(["s"]),
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
      (seen) => void run(seen, "s").entries.push({ type: "begun", path: "again" }),
      /s: it began something after its stop/,
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
