import { describe, expect, it } from "vitest";
import type { Responder } from "../fakes.test.kit.js";
import { ended, finished, outcomeOf, urls, world } from "./kit.test.kit.js";

const refusing: Responder = ({ url }) =>
  /no|\/3/.test(url) ? { status: 403 } : { status: 200, body: { at: url.at(-1) ?? "" } };

describe("each", () => {
  const round = (more: string): string => `  - step: round
    each: lists.range(5)
    as: n
    collect: steps.call.body.at
${more}    steps: [{ step: call, request: "POST https://a.example/\${n}" }]
  - { step: n, note: "\${steps.round.done} \${steps.round.failed} \${json.print(steps.round.items)} \${steps.round.failures[0].index}" }
`;

  it.each([1, 3])(
    "goes on past an item that fails, says which, and gives the rest (%i at once)",
    async (parallel) => {
      const it = world(round(`    if-one-fails: continue\n    parallel: ${parallel}\n`), refusing);
      expect((await it.run()).state).toBe("succeeded");
      expect(outcomeOf(it, "n")).toBe('4 1 ["0","1","2","4"] 3');
      expect(finished(it)?.problems).toBe(1);
    },
  );

  it("tells the same after a stop, and repeats no item that ended", async () => {
    const first = world(round("    if-one-fails: continue\n"), refusing);
    await first.run();
    const cut = first.rows.findIndex(({ entry }) => entry.type === "item" && entry.path === "round[3]");
    const second = world(first.file.slice(first.file.indexOf("  - ")), refusing);
    second.rows = first.rows.slice(0, cut + 1);
    expect((await second.run()).state).toBe("succeeded");
    expect(urls(second)).toEqual(["/4"]);
    expect(outcomeOf(second, "n")).toBe('4 1 ["0","1","2","4"] 3');
  });

  it("takes no list longer than its limit, and begins nothing then", async () => {
    const it = world(round("    limit: 4\n"), refusing);
    expect(await it.run()).toMatchObject({ state: "failed", error: { code: "too-many-items" } });
    expect(it.sent).toEqual([]);
  });

  it("has a limit of its own: 100,000 items", async () => {
    const it = world(
      "  - { step: r, each: 'lists.range(1000).map(x, lists.range(101)).flatten()', steps: [{ step: c, note: x }] }\n",
    );
    expect((await it.run()).error?.message).toContain("the loop allows 100000");
  });

  it("tells a thousand failures, and counts the rest", async () => {
    const it = world(
      "  - { step: r, each: lists.range(1200), if-one-fails: continue, steps: [{ step: c, fail: It failed. }] }\n",
    );
    expect((await it.run()).state).toBe("failed"); // a stop ends the run, not the item
    const other = world(
      "  - { step: r, each: lists.range(1200), if-one-fails: continue, steps: [{ step: c, note: '${[][0]}' }] }\n  - { step: n, note: '${size(steps.r.failures)} ${steps.r.failed}' }\n",
    );
    await other.run();
    expect(outcomeOf(other, "n")).toBe("1000 1200");
  });
});

describe("together", () => {
  const both = (left: string, right: string, more = ""): string =>
    `  - step: both\n    together:\n      branches:\n        left: [${left}]\n        right: [${right}]\n${more}`;

  it("walks its branches side by side; afterwards all their steps are seen", async () => {
    const it = world(
      both(
        "{ step: a, request: GET https://a.example/a }, { step: nap, wait: { for: 3s } }, { step: b, note: left }",
        "{ step: c, request: GET https://a.example/c }",
        '  - { step: n, note: "${steps.both.left} ${steps.both.right.body.at} ${steps.a.status}" }\n',
      ),
      refusing,
    );
    expect((await it.run()).state).toBe("succeeded");
    expect(urls(it)).toEqual(["/a", "/c"]);
    expect(outcomeOf(it, "n")).toBe("left c 200");
  });

  it("fails where one fails, and begins nothing new in the others", async () => {
    const it = world(
      both(
        "{ step: a, request: GET https://a.example/no }",
        "{ step: c, wait: { for: 5m } }, { step: d, request: POST https://a.example/d }",
      ),
      refusing,
    );
    expect(await it.run()).toMatchObject({ state: "failed", error: { step: "both.left/a" } });
    expect(urls(it)).toEqual(["/no"]);
    expect(ended(it, "both")?.error?.status).toBe(403);
  });

  it("an unsure branch stops, the others go on, and then the run is unsure", async () => {
    const it = world(
      both(
        "{ step: a, request: POST https://a.example/a }",
        "{ step: c, wait: { for: 2m } }, { step: d, request: POST https://a.example/d }",
      ),
      ({ url }) => (url.endsWith("/a") ? "cut" : { status: 200 }),
    );
    expect((await it.runToEnd()).state).toBe("unsure");
    expect(urls(it)).toEqual(["/a", "/d"]);
  });

  it("no branch sees another's steps, and none sets variables: the check says so", async () => {
    await expect(
      world(both("{ step: a, note: x }", "{ step: b, note: '${steps.a}' }")).run(),
    ).rejects.toThrow("does not come before");
    await expect(world(both("{ step: a, set: { x: 1 } }", "{ step: b, note: y }")).run()).rejects.toThrow(
      "cannot be set under together",
    );
  });
});

describe("remember", () => {
  it("keeps values, adds, appends up to a number, for this run and later ones", async () => {
    const it =
      world(`  - { step: a, remember: { key: tank, values: { low: true }, add: { count: 2 }, append: { turns: "\${now()}" }, most: 2 } }
  - { step: b, remember: { key: tank, append: { turns: x }, most: 2, add: { count: 1 } } }
  - { step: n, note: "\${remembered('tank').count} \${size(remembered('tank').turns)} \${remembered('tank').turns[1]} \${remembered('other').?low.orValue('none')}" }
`);
    expect((await it.run()).state).toBe("succeeded");
    expect(outcomeOf(it, "n")).toBe("3 2 x none");
    expect(it.remembered).toMatchObject({ tank: { low: true, count: 3 } });
    const row = it.rows.find(({ entry }) => entry.type === "ended" && entry.path === "a");
    expect(row?.change?.remembered?.key).toBe("tank");
  });

  it("changes nothing where what is remembered is not as expected", async () => {
    const it = world(
      "  - { step: a, remember: { key: k, expect: { state: open }, values: { state: shut } } }\n",
    );
    it.remembered["k"] = { state: "locked" };
    expect(await it.run()).toMatchObject({
      error: { code: "not-as-expected", field: "remember.expect.state" },
    });
    expect(it.remembered["k"]).toEqual({ state: "locked" });
  });

  it.each([
    ["add: { n: x }", "remember.add.n"],
    ["append: { low: 1 }", "remember.append.low"],
  ])("says where a value does not fit: %s", async (change, field) => {
    const it = world(`  - { step: a, remember: { key: k, ${change} } }\n`);
    it.remembered["k"] = { low: true };
    expect(await it.run()).toMatchObject({ error: { code: "bad-value", field } });
  });

  it("what a step read stays what it read, also when it goes on after a stop", async () => {
    const it = world(
      "  - { step: r, each: \"remembered('list').?of.orValue([])\", steps: [{ step: s, wait: { for: 1m } }] }\n",
    );
    it.remembered["list"] = { of: Array.from({ length: 3_000 }, (_, index) => `item ${index}`) };
    expect((await it.run()).state).toBe("waiting");
    it.remembered["list"] = { of: [] };
    expect((await it.run()).state).toBe("waiting");
  });
});

describe("within", () => {
  it("ends a step that takes too long, whatever it waits for; which can be caught", async () => {
    const it = world(
      `  - step: g
    within: 90s
    group: { steps: [{ step: a, wait: { for: 1m }, keep-going: true }, { step: b, wait: { for: 1h }, keep-going: true }] }
    catch: [{ step: c, note: "\${error.code}" }]
`,
    );
    const begun = it.time;
    expect((await it.runToEnd()).state).toBe("succeeded");
    expect(it.time - begun).toBe(90_000);
    expect(outcomeOf(it, "g!catch/c")).toBe("timed-out");
    expect(ended(it, "g")?.error?.message).toBe('Not done within 1 min 30 s, as "within" says.');
  });

  it("ends retries, and shortens the time that an attempt may take", async () => {
    const it = world(
      "  - { step: a, within: 20s, request: GET https://a.example, retry: { times: 100, wait: 6s, factor: 1, jitter: 0 } }\n",
      () => ({ status: 503 }),
    );
    expect(await it.run()).toMatchObject({ state: "failed", error: { code: "timed-out" } });
    expect(it.sent).toHaveLength(4);
  });

  it("leaves an unsure call unsure", async () => {
    const it = world("  - { step: a, within: 1m, request: POST https://a.example }\n", () => "cut");
    expect((await it.run()).state).toBe("unsure");
  });

  it("of the whole run counts from when it first did something", async () => {
    const it = world("  - { step: a, wait: { for: 5m } }\n", undefined, "limits: { within: 1m }\n");
    it.start();
    it.time += 3_600_000; // in the queue
    expect((await it.run()).state).toBe("waiting");
    it.time += 60_000;
    expect(await it.run()).toMatchObject({ state: "failed", error: { code: "timed-out" } });
  });
});

describe("workflow", () => {
  const file = `  - { step: sub, workflow: { name: greet-guest, inputs: { email: "a\${1 + 1}@huts.example" } } }
  - { step: n, note: "\${steps.sub.status} \${steps.sub.body.id}" }
`;

  it("waits for the response of the run that it starts, and starts it once", async () => {
    const it = world(file);
    expect((await it.run()).state).toBe("waiting");
    it.children = {
      "greet-guest": {
        state: "succeeded",
        response: { status: 200, headers: {}, body: { id: "g-1" } },
        secrets: [],
        masked: [],
      },
    };
    expect((await it.run()).state).toBe("succeeded");
    expect(it.started).toMatchObject([{ inputs: { email: "a2@huts.example" }, depth: 1, waits: true }]);
    expect(outcomeOf(it, "n")).toBe("200 g-1");
  });

  it("fails with the run that it waits for", async () => {
    const it = world(file);
    it.children = {
      "greet-guest": {
        state: "failed",
        error: { code: "response", message: "It sent 403.", status: 403 },
        secrets: [],
        masked: [],
      },
    };
    expect(await it.run()).toMatchObject({ state: "failed", error: { code: "run-failed", status: 403 } });
  });

  it("does not wait where it is told not to", async () => {
    const it = world("  - { step: sub, workflow: { name: other, in-background: true } }\n");
    expect((await it.run()).state).toBe("succeeded");
    expect(outcomeOf(it, "sub")).toEqual({ run: "child of sub" });
  });

  it("stops the run that it waits for when its own time is over", async () => {
    const it = world("  - { step: sub, within: 1m, workflow: { name: other } }\n");
    expect((await it.run()).state).toBe("waiting");
    it.time += 61_000;
    expect(await it.run()).toMatchObject({ state: "failed", error: { code: "timed-out" } });
  });

  it("masks what was secret in that run", async () => {
    const it = world(
      '  - { step: sub, workflow: { name: other } }\n  - { step: n, note: "${steps.sub.body}" }\n',
    );
    it.children = {
      other: {
        state: "succeeded",
        response: { status: 200, headers: {}, body: "hidden-key-1" },
        secrets: ["hidden-key-1"],
        masked: [],
      },
    };
    await it.run();
    expect(it.rows.map(({ open }) => open).join()).not.toContain("hidden-key-1");
  });
});

describe("secret", () => {
  const respond: Responder = () => ({
    status: 200,
    body: { pin: "4711", items: [{ code: "long-secret-code" }] },
  });

  it.each(["true", "[body.pin, body.items.*.code]"])(
    "masks what a step says is secret, and what comes of it: %s",
    async (secret) => {
      const it = world(
        `  - { step: a, secret: ${secret}, request: GET https://a.example }\n  - { step: b, note: "pin \${steps.a.body.pin}, code \${steps.a.body.items[0].code}" }\n`,
        respond,
      );
      expect((await it.run()).state).toBe("succeeded");
      expect(outcomeOf(it, "b")).toBe("pin 4711, code long-secret-code");
      const open = it.rows
        .filter(({ entry }) => entry.type !== "secrets")
        .map((row) => row.open)
        .join();
      expect(open).not.toContain("4711");
      expect(open).not.toContain("long-secret-code");
    },
  );

  it("masks the outcome of a step that is not a call", async () => {
    const it = world('  - { step: a, secret: true, set: { pin: "4711" } }\n');
    await it.run();
    expect(it.rows.map(({ open }) => open).join()).not.toContain("4711");
  });
});
