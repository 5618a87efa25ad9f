import { describe, expect, it } from "vitest";
import { World, type Answer } from "./fakes.test.kit.js";

const head = "copper-kettle: 1\nname: test\n";
const pinned = `${head}inputs: { type: object, properties: { pin: { type: string, writeOnly: true } } }\nsteps:\n`;

/** A world whose answers are given by path, and whose inputs hold a pin that is too short to be found by its value. */
function world(steps: string, answers: Record<string, Answer> = {}, start = `${head}steps:\n`): World {
  const it = new World(
    start + steps,
    ({ url }) => answers[new URL(url).pathname] ?? { status: 200, body: null },
  );
  if (start !== pinned) return it;
  it.inputs = { pin: "4711" };
  it.start();
  it.add({ type: "secrets", at: it.time, values: [], places: [["inputs", "pin"]] });
  return it;
}

/** All that people may see of a run, but for its first entries, which the service masks. */
const shown = (it: World): string =>
  it.rows
    .filter(({ entry }) => entry.type !== "started")
    .map(({ open }) => open)
    .join("\n");

describe("a secret that is too short to be found by its value", () => {
  const guests: Answer = {
    status: 200,
    body: {
      next: null,
      items: [
        { name: "may", code: "4711" },
        { name: "odd", code: "4712" },
      ],
    },
  };

  const hut = { name: "corrie", code: "4711" };

  it("is masked in what counts again where nothing has changed", async () => {
    const it = world(
      `  - { step: r, request: "GET https://a.example/r", secret: [body.code] }
  - { step: a, request: "GET https://a.example/a", if-none-match: steps.r }
  - { step: n, note: "\${steps.a.body.name} \${steps.a.body.code}" }
  - { step: all, request: "GET https://a.example/a", if-none-match: "steps.a.unchanged ? steps.a : steps.r" }
`,
      { "/r": { status: 200, body: hut, headers: { etag: '"1"' } }, "/a": { status: 304 } },
    );
    expect((await it.run()).state).toBe("succeeded");
    expect(
      it.entries().find((entry) => "path" in entry && entry.path === "n" && entry.type === "ended"),
    ).toMatchObject({
      outcome: "corrie 4711",
    });
    expect(shown(it)).not.toContain("4711");
    expect(shown(it)).toContain('"name":"corrie"');
  });

  it("is masked in what a call gathers, in what is around a page, and in what asks for the next one", async () => {
    for (const more of [
      'until: { done: "body.done", every: 1s, collect: body.items }',
      "pages: { by: cursor, in: header, param: X-After, items: body.items, next: body.next }",
      "pages: { by: cursor, in: header, param: X-After, items: 'body.items.filter(x, true)', next: body.next }",
    ]) {
      const secret = "secret: [body.items.*.code, body.pin, body.next]";
      const file = `${head}steps:\n  - { step: g, request: "GET https://a.example/g", ${secret}, ${more} }\n  - { step: n, note: "\${size(steps.g.items)} \${steps.g.items[0].code}" }\n`;
      const it = new World(file, (_request, times) => ({
        status: 200,
        body: { items: [hut], pin: "4712", next: times === 0 ? "4713" : null, done: times > 0 },
      }));
      expect([more, (await it.runToEnd()).state]).toEqual([more, "succeeded"]);
      expect(it.sent).toHaveLength(2);
      expect(shown(it).match(/.{90}471[123].{9}/)).toBeNull();
      expect(shown(it)).toContain('"name":"corrie"');
    }
  });

  it("is masked in a response that leaves a call unsure, and in its reason", async () => {
    const it = world(`  - { step: p, request: "POST https://a.example/p", secret: [body.code] }\n`, {
      "/p": { status: 504, body: hut },
    });
    expect((await it.run()).state).toBe("unsure");
    expect(it.entries().find(({ type }) => type === "unsure")).toMatchObject({ response: { body: hut } });
    expect(shown(it)).not.toContain("4711");
  });

  it("is in no message about a response that is not as it should be", async () => {
    for (const [more, answer] of [
      [", retry: { after: body.code }", { status: 429, body: { code: "4711" } }],
      ["", { status: 302, headers: { location: "https://b.example/x?code=4711#4711" } }],
      [", read: json-lines", { status: 200, text: "4711x\n" }],
    ] as const) {
      const it = world(`  - { step: p, request: "GET https://a.example/p", redirects: none${more} }\n`, {
        "/p": answer as Answer,
      });
      await it.runToEnd();
      const end = it.entries().at(-1);
      expect(end).toMatchObject({ type: "finished", state: "failed" });
      expect(end).not.toHaveProperty("error.message", expect.stringContaining("4711"));
    }
  });

  it("is masked in a loop: in its list, in what its items send and collect, and in what failed of them", async () => {
    const it = world(
      `  - { step: g, request: "GET https://a.example/g", secret: [body.items.*.code] }
  - step: l
    each: steps.g.body.items
    as: guest
    if-one-fails: continue
    collect: guest.code
    steps:
      - { step: s, request: "POST https://a.example/door", query: { code: "\${guest.code}", name: "\${guest.name}" } }
  - { step: n, note: "\${steps.l.failures[0].item.code}" }
  - { step: c, each: steps.g.body.items, collect: item.code, steps: [{ step: x, note: "\${item.code}" }] }
  - { step: m, note: "\${steps.c.items[0]}" }
`,
      { "/g": guests, "/door": { status: 403, body: { message: "no" } } },
    );
    await it.run();
    expect(it.sent.map(({ url }) => url)).toContain("https://a.example/door?code=4711&name=may");
    expect(shown(it)).not.toMatch(/471[12]/);
    expect(shown(it)).toContain('"name":"may"');
  });

  it("is masked where a condition, a record or the items of a page were made of it", async () => {
    const it = world(
      `  - step: p
    request: GET https://a.example/g
    secret: [body.items.*.code]
    pages: { by: cursor, items: body.items, next: body.next }
  - step: e
    ensure:
      find: { request: GET https://a.example/one }
      found: body.password != null
      record: body.password
`,
      { "/g": guests, "/one": { status: 200, body: { password: "4713", name: "ida" } } },
    );
    expect((await it.run()).state).toBe("succeeded");
    expect(it.entries().find((entry) => entry.type === "ended" && entry.path === "e")).toMatchObject({
      outcome: { record: "4713" },
    });
    expect(shown(it)).not.toMatch(/471[123]/);
  });

  it("is masked in the error of a response, its message too, wherever that is caught", async () => {
    const it = world(
      `  - step: g
    group: { steps: [{ step: d, request: "POST https://a.example/d" }] }
    catch: [{ step: c, note: "\${error.message} \${error.body.password}" }]
  - { step: k, request: "POST https://a.example/d", keep-going: true }
  - { step: n, note: "\${steps.k.error.body.password}" }
`,
      { "/d": { status: 422, body: { password: "4711", hut: "corrie" } } },
    );
    await it.run();
    expect(shown(it)).not.toContain("4711");
    expect(shown(it)).toContain("corrie");
  });

  it("is handed to a called workflow with its place, and comes back with it", async () => {
    const it = world(
      `  - { step: w, workflow: { name: door, inputs: { code: "\${inputs.pin}", name: may } } }
  - { step: n, note: "\${steps.w.body.code}" }
`,
      {},
      pinned,
    );
    it.children = {
      door: {
        state: "succeeded",
        response: { status: 200, headers: {}, body: { code: "4711" } },
        secrets: [],
        masked: [["body", "code"]],
      },
    };
    expect((await it.run()).state).toBe("succeeded");
    expect(it.started[0]).toMatchObject({ inputs: { code: "4711" }, secretPlaces: [["code"]] });
    expect(shown(it)).not.toContain("4711");
  });

  it("is remembered sealed, and read again as a secret; a key is not made of one", async () => {
    const it = world(
      `  - { step: k, remember: { key: door, values: { code: "\${inputs.pin}", name: may }, append: { codes: "\${inputs.pin}" } } }
  - { step: n, note: "\${remembered('door').name}" }
`,
      {},
      pinned,
    );
    expect((await it.run()).state).toBe("succeeded");
    const change = it.rows.find((row) => row.change?.remembered)?.change?.remembered;
    expect(change).toMatchObject({
      values: { code: "4711", name: "may", codes: ["4711"] },
      shown: { code: "•••", name: "may", codes: ["•••"] },
      masked: [["code"], ["codes", 0]],
    });
    expect(shown(it)).not.toContain("4711");
    const key = world(
      `  - { step: k, remember: { key: "door-\${inputs.pin}", values: { a: 1 } } }\n`,
      {},
      pinned,
    );
    expect(await key.run()).toMatchObject({ state: "failed", error: { code: "bad-value" } });
  });

  it("names no lock: what stands for it does", async () => {
    const it = world(
      `  - { step: e, ensure: { find: { request: GET https://a.example/one }, lock: "hold \${inputs.pin}" } }\n`,
      {},
      pinned,
    );
    await it.run();
    expect(it.rows.find((row) => row.change?.lock)?.change?.lock?.name).toBe("a secret name of 9");
    expect(shown(it)).not.toContain("4711");
  });
});

describe("secrets of whoever wrote a step", () => {
  const there = "https://b.example/x";
  const moved = (status: number): Record<string, Answer> => ({
    "/r": { status, headers: { location: there } },
    "/x": { status: 200, body: { items: [] } },
  });
  const secretHeaders = `headers: { Authorization: "Bearer \${inputs.pin}", X-Pin: "\${inputs.pin}", Accept: "*/*" }, cookies: { s: "\${inputs.pin}" }`;

  it.each([301, 302, 307, 308])("do not follow a redirect (%i) to another origin", async (status) => {
    const it = world(
      `  - { step: r, request: "GET https://a.example/r", ${secretHeaders} }\n`,
      moved(status),
      pinned,
    );
    expect((await it.run()).state).toBe("succeeded");
    expect(it.sent.map(({ url, headers }) => [url, headers.map(([name]) => name)])).toEqual([
      ["https://a.example/r", ["Authorization", "X-Pin", "Accept", "Cookie"]],
      [there, ["Accept"]],
    ]);
  });

  it("in a body are not sent on; what reads is asked for with GET after 303, without a body", async () => {
    const body = `body: { json: { pin: "\${inputs.pin}" } }, effect: reads`;
    const held = world(`  - { step: r, request: "POST https://a.example/r", ${body} }\n`, moved(307), pinned);
    expect(await held.run()).toMatchObject({ state: "failed", error: { status: 307 } });
    expect(held.sent).toHaveLength(1);
    const looked = world(
      `  - { step: r, request: "POST https://a.example/r", ${body} }\n`,
      moved(303),
      pinned,
    );
    expect((await looked.run()).state).toBe("succeeded");
    expect(looked.sent[1]).toMatchObject({ method: "GET", url: there });
    expect(looked.sent[1]).not.toHaveProperty("body");
  });

  it("do not go along to a page, or to look whether something is done, at another origin", async () => {
    const pages = world(
      `  - { step: r, request: "GET https://a.example/p", ${secretHeaders}, pages: { by: link, items: body.items } }\n`,
      {
        "/p": { status: 200, headers: { link: `<${there}>; rel="next"` }, body: { items: [1] } },
        ...moved(200),
      },
      pinned,
    );
    expect((await pages.run()).state).toBe("succeeded");
    expect(pages.sent[1]?.headers.map(([name]) => name)).toEqual(["Accept"]);
    const look = world(
      `  - { step: r, request: "POST https://a.example/j", ${secretHeaders}, until: { done: status == 200, every: 1s, url: "\${headers.location}" } }\n`,
      { "/j": { status: 202, headers: { location: there } }, ...moved(200) },
      pinned,
    );
    expect((await look.run()).state).toBe("succeeded");
    expect(look.sent[1]).toMatchObject({ method: "GET", url: there, headers: [["Accept", "*/*"]] });
    const posted = world(
      `  - { step: r, request: "POST https://a.example/p", effect: reads, body: { json: { pin: "\${inputs.pin}" } }, pages: { by: link, items: body.items } }\n`,
      { "/p": { status: 200, headers: { link: `<${there}>; rel="next"` }, body: { items: [1] } } },
      pinned,
    );
    expect(await posted.run()).toMatchObject({ state: "failed", error: { code: "other-origin" } });
    expect(posted.sent).toHaveLength(1);
  });
});

describe("what a response says is secret", () => {
  it("is found by its name in a form, too, and whatever shows it afterwards is masked", async () => {
    const it = new World(
      `${head}steps:\n  - { step: t, request: "POST https://a.example/t" }\n  - { step: n, note: "\${steps.t.text}" }\n`,
      () => ({ status: 200, headers: { "content-type": "application/x-www-form-urlencoded" }, body: 0 }),
    );
    it.text = "access_token=tok-form-12345678&token_type=bearer";
    expect((await it.run()).state).toBe("succeeded");
    expect(shown(it)).not.toContain("tok-form-12345678");
    expect(shown(it)).toContain("token_type=bearer");
  });

  it("is not in a file that lies open: one that shows a secret is said to", async () => {
    const it = new World(
      `${head}steps:\n  - { step: f, request: "GET https://a.example/f", using: k }\n`,
      () => ({
        status: 200,
        headers: { "content-type": "application/octet-stream" },
        body: { echo: "hut-secret-1234" },
      }),
    );
    it.credentials = { k: { kind: "bearer", token: "hut-secret-1234" } };
    await it.run();
    expect(it.storedFiles).toEqual([expect.objectContaining({ secret: true })]);
  });
});

describe("a response that came, and whose body cannot be had", () => {
  const run = async (
    method: string,
    code: "cut" | "coding" | "response-too-large",
    status = 201,
  ): Promise<World> => {
    const it = new World(
      `${head}steps:\n  - { step: c, request: "${method} https://a.example/c", retry: { times: 1, wait: 1s } }\n`,
      () => ({ status }),
    );
    it.broken = { code, message: `it is ${code}` };
    await it.run();
    return it;
  };
  it.each(["cut", "coding", "response-too-large"] as const)(
    "is a known outcome of a call that writes: %s",
    async (code) => {
      const it = await run("POST", code);
      expect(it.sent).toHaveLength(1);
      const entries = it.entries();
      expect(entries.find(({ type }) => type === "unsure")).toBeUndefined();
      expect(entries.find(({ type }) => type === "attempt")).toMatchObject({
        response: { status: 201, broken: code },
      });
      expect(entries.at(-1)).toMatchObject({
        type: "finished",
        state: "failed",
        error: { code: code === "response-too-large" ? code : "bad-response", status: 201 },
      });
    },
  );

  it("is asked for again by a call that reads, where it broke off, and only there", async () => {
    expect((await run("GET", "cut", 200)).sent).toHaveLength(2);
    expect((await run("GET", "coding", 200)).sent).toHaveLength(1);
    expect((await run("PUT", "cut", 200)).sent).toHaveLength(2);
  });
});

describe("secrets of a hundred thousand items", () => {
  const items = Array.from({ length: 100_000 }, (_, index) => ({ name: `n${index}`, password: `p${index}` }));

  it("are taken in, masked by their places and read from in one pass each", async () => {
    const it = world(
      `  - { step: g, request: "GET https://a.example/g" }
  - { step: l, each: steps.g.body.some, as: guest, collect: guest.name, steps: [{ step: n, note: "\${guest.password} of \${guest.name}" }] }
`,
      { "/g": { status: 200, body: { items, some: items.slice(0, 2_000) } } },
    );
    await it.run();
    expect(it.rows.filter(({ entry }) => entry.type === "ended").length).toBeGreaterThan(1_000);
    expect(shown(it)).not.toMatch(/"p\d+"/);
    expect(shown(it)).toContain('"name":"n99999"');
    const places = it.rows.flatMap(({ entry }) => (entry.type === "secrets" ? entry.places : []));
    expect(places.length).toBeLessThan(10);
  }, 60_000);
});
