import { describe, expect, it } from "vitest";
import type { Json, JsonObject } from "../values/json.js";
import type { Entry } from "./entries.js";
import { World } from "./fakes.test.kit.js";

const greet = `
copper-kettle: 1
name: greet
inputs: { type: object, properties: { email: { type: string } } }
steps:
  - step: guest
    request: GET https://stays.example/guests
    query: { email: "\${inputs.email}" }
  - step: known
    if: size(steps.guest.body.items) > 0
    then:
      - { step: old, set: { id: "\${steps.guest.body.items[0].id}" } }
    else:
      - step: made
        request: POST https://stays.example/guests
        body: { json: { email: "\${inputs.email}", key: "\${uuid()}" } }
      - { step: new, set: { id: "\${steps.made.body.id}" } }
  - step: posts
    each: '["corrie", "juniper"]'
    as: hut
    steps:
      - step: post
        request: POST https://boards.example/\${hut}/posts
        body: { json: { text: "Hello \${variables.id} #\${index}" } }
    collect: steps.post.body.id
  - { step: reply, respond: { status: 201, body: { id: "\${variables.id}", posts: "\${steps.posts.items}" } } }
`;

function world(): World {
  const made = new World(greet, (request) => {
    if (request.method === "GET") return { status: 200, body: { items: [] } };
    return { status: 201, body: { id: `id-of-${request.url.split("/").at(-2)}` } };
  });
  made.inputs = { email: "marit@alpha.example" };
  return made;
}

describe("a run", () => {
  it("walks its steps, sends what they say and gives its response", async () => {
    const it = world();
    expect((await it.run()).state).toBe("succeeded");
    expect(it.sent.map((request) => `${request.method} ${request.url}`)).toEqual([
      "GET https://stays.example/guests?email=marit%40alpha.example",
      "POST https://stays.example/guests",
      "POST https://boards.example/corrie/posts",
      "POST https://boards.example/juniper/posts",
    ]);
    expect(it.responses).toEqual([
      {
        status: 201,
        headers: {},
        body: { id: "id-of-stays.example", posts: ["id-of-corrie", "id-of-juniper"] },
      },
    ]);
  });

  it("comes to the same end from every point at which its journal may be cut, and sends no writing call twice", async () => {
    const first = world();
    await first.run();
    const full = first.entries();
    for (let cut = 1; cut < full.length; cut++) {
      const again = world();
      again.rows = first.rows.slice(0, cut);
      const result = await again.run();
      const last = full[cut - 1] as Entry;
      if (last.type === "sending") {
        expect(result.state, `cut after ${cut}`).toBe("unsure");
        expect(again.sent.filter((request) => request.method === "POST")).toHaveLength(0);
        continue;
      }
      expect(result.state, `cut after ${cut}: ${JSON.stringify(last)}`).toBe("succeeded");
      const attempted = full
        .slice(0, cut)
        .filter((entry) => entry.type === "attempt" && entry.path !== "guest").length;
      expect(again.count("POST"), `cut after ${cut}`).toBe(3 - attempted);
      const bodies = (entries: Entry[]) =>
        entries
          .filter((entry) => entry.type === "begun")
          .map((entry) => (entry.data["request"] as JsonObject | undefined)?.["body"]);
      expect(bodies(again.entries())).toEqual(bodies(full));
    }
  });

  it("does nothing again when it has ended", async () => {
    const it = world();
    await it.run();
    const sent = it.sent.length;
    it.rows.pop();
    expect((await it.run()).state).toBe("succeeded");
    expect(it.sent.length).toBe(sent);
  });

  it("holds durably that a writing call is about to go, before it goes", async () => {
    const it = world();
    it.beforeSend = (request) => {
      if (request.method !== "POST") return;
      const sending = it.entries().filter((entry) => entry.type === "sending").length;
      expect(sending).toBe(it.count("POST") + 1);
    };
    await it.run();
    expect(it.count("POST")).toBe(3);
  });
});

describe("a writing call whose fate is unknown", () => {
  const file = `
copper-kettle: 1
name: one
steps:
  - { step: made, request: "POST https://stays.example/guests", body: { json: {} } }
  - { step: after, note: "made \${default(steps.made.body.id, 'nothing')}" }
`;
  const unsure = () =>
    new World(file, (_, times) => (times === 0 ? "cut" : { status: 201, body: { id: "g2" } }));
  const decide = (it: World, decision: "happened" | "again" | "skip" | "stop", outcome?: Json) => {
    const entry: Entry = {
      type: "decided",
      at: it.time,
      path: "made",
      decision,
      by: "Marit",
      ...(outcome === undefined ? {} : { outcome }),
    };
    it.add(entry);
  };

  it("is not repeated in silence", async () => {
    const it = unsure();
    expect((await it.run()).state).toBe("unsure");
    expect((await it.run()).state).toBe("unsure");
    expect(it.count("POST")).toBe(1);
    expect(it.entries()).toContainEqual(
      expect.objectContaining({ type: "unsure", path: "made", reason: "The connection was closed." }),
    );
  });

  it.each([
    ["happened", 1, "made g9", "succeeded"],
    ["again", 2, "made g2", "succeeded"],
    ["skip", 1, "made nothing", "succeeded"],
    ["stop", 1, undefined, "stopped"],
  ] as const)("goes on as a person decides: %s", async (decision, posts, note, state) => {
    const it = unsure();
    await it.run();
    decide(it, decision, decision === "happened" ? { status: 201, body: { id: "g9" } } : undefined);
    expect((await it.run()).state).toBe(state);
    expect(it.count("POST")).toBe(posts);
    const noted = it.entries().find((entry) => entry.type === "ended" && entry.path === "after");
    expect(noted && "outcome" in noted ? noted.outcome : undefined).toBe(note);
  });

  it("is asked about again when it was sent again and cut again", async () => {
    const it: World = new World(file, () => "cut");
    await it.run();
    decide(it, "again");
    expect((await it.run()).state).toBe("unsure");
    expect(it.count("POST")).toBe(2);
    expect((await it.run()).state).toBe("unsure");
    expect(it.count("POST")).toBe(2);
  });

  it("is sent again on its own when it only reads or may be repeated", async () => {
    for (const method of ["GET", "PUT", "DELETE"]) {
      const it: World = new World(file.replace("POST", method), (_, times) =>
        times === 0 ? "cut" : { status: 200, body: { id: "g1" } },
      );
      expect((await it.runToEnd()).state).toBe("succeeded");
      expect(it.count(method)).toBe(2);
    }
  });

  it("is sent again when the connection was refused, since then nothing was sent", async () => {
    const it: World = new World(file, () =>
      it.time < Date.UTC(2027, 2, 1, 5, 0, 2) ? "refused" : { status: 201, body: { id: "g1" } },
    );
    expect((await it.runToEnd()).state).toBe("succeeded");
    expect(it.count("POST")).toBe(1);
  });
});

describe("loops", () => {
  const file = (more: string) => `
copper-kettle: 1
name: loop
steps:
  - step: all
    each: lists.range(20)
    as: n
    ${more}
    collect: steps.get.body
    steps:
      - { step: get, request: "GET https://stores.example/items/\${n}" }
  - { step: sum, set: { total: "\${sum(steps.all.items)}" } }
`;

  it("collect in the order of the list, whatever the order of the responses", async () => {
    for (const more of ["", "parallel: 7"]) {
      const it: World = new World(file(more), (request) => ({
        status: 200,
        body: Number(request.url.split("/").at(-1)),
      }));
      expect((await it.run()).state).toBe("succeeded");
      const ended = it.entries().find((entry) => entry.type === "ended" && entry.path === "sum");
      expect(ended).toMatchObject({ outcome: { total: 190 } });
      expect(it.sent).toHaveLength(20);
    }
  });

  it("let an item that waits long give its place to the next, and return first", async () => {
    const it: World = new World(`
copper-kettle: 1
name: loop
steps:
  - step: all
    each: lists.range(6)
    as: n
    parallel: 2
    collect: n
    steps:
      - { step: rest, wait: { for: "\${n < 4 ? '2m' : '1s'}" } }
      - { step: get, request: "GET https://stores.example/items/\${n}" }
`);
    const first = await it.run();
    expect(first.state).toBe("waiting");
    expect(it.sent.map((request) => request.url.at(-1)).sort()).toEqual(["4", "5"]);
    expect((await it.runToEnd()).state).toBe("succeeded");
    expect(it.sent).toHaveLength(6);
  });

  it("fail with the item that failed, and begin no new ones", async () => {
    const it: World = new World(file(""), (request) => ({
      status: request.url.endsWith("/3") ? 404 : 200,
      body: 1,
    }));
    expect(await it.run()).toMatchObject({ state: "failed", error: { step: "all[3]/get", status: 404 } });
    expect(it.sent).toHaveLength(4);
  });

  it("say what is not a list", async () => {
    const it: World = new World(
      file("")
        .replace("lists.range(20)", "inputs.none")
        .replace("name: loop", "name: loop\ninputs: { type: object }"),
      () => ({ status: 200 }),
    );
    it.inputs = { none: null };
    expect(await it.run()).toMatchObject({ state: "failed", error: { code: "not-a-list" } });
  });
});

describe("secrets", () => {
  it("never show in the open form: those of a credential, those echoed, those in responses, those made from them", async () => {
    const secret = "bt-5f0e8c1d77";
    const token = "tok/+9a8b7c6d5e4f";
    const it: World = new World(
      `
copper-kettle: 1
name: secrets
steps:
  - { step: login, request: "POST https://boards.example/login", using: bot, body: { json: { user: bot } } }
  - { step: auth, set: { header: "\${base64.encode('bot:' + steps.login.body.access_token)}", pin: "\${steps.login.body.password}" } }
  - step: read
    request: GET https://boards.example/posts
    query: { t: "\${steps.login.body.access_token}", pin: "\${variables.pin}" }
    headers: { X-Auth: "Basic \${variables.header}" }
`,
      (request) => {
        if (request.url.endsWith("/login"))
          return { status: 200, body: { echo: `you sent ${secret}`, access_token: token, password: "77x" } };
        return { status: 200, body: { encoded: Buffer.from(`zz${token}`).toString("base64") } };
      },
    );
    it.credentials = { bot: { kind: "bearer", token: secret } };
    expect((await it.run()).state).toBe("succeeded");
    expect(it.sent[0]?.headers).toContainEqual(["Authorization", `Bearer ${secret}`]);
    expect(it.sent[1]?.url).toContain(encodeURIComponent(token));
    expect(it.sent[1]?.url).toContain("pin=77x");
    const open = it.rows.map((row) => row.open).join("\n");
    const derived = Buffer.from(`bot:${token}`).toString("base64");
    for (const hidden of [
      secret,
      token,
      encodeURIComponent(token),
      derived,
      Buffer.from(token).toString("base64").slice(4, -4),
      '"77x"',
      "pin=77x",
    ]) {
      expect(open).not.toContain(hidden);
    }
    const sealed = it.rows.map((row) => row.sealed ?? row.open).join("\n");
    expect(sealed).toContain(token);
    // A second pass knows the secrets from the journal alone.
    it.credentials = {};
    it.rows.pop();
    expect((await it.run()).state).toBe("succeeded");
    expect(it.rows.map((row) => row.open).join("\n")).not.toContain(token);
  });
});

describe("stopping", () => {
  it("by hand ends the run at the next step", async () => {
    const it = world();
    it.beforeSend = (request) => request.url.includes("corrie") && it.stop.abort();
    expect(await it.run()).toMatchObject({ state: "stopped" });
    expect(it.sent).toHaveLength(3);
  });

  it("by hand, which the journal says, ends the run at its next start, though its call may have been carried out", async () => {
    const it: World = new World(greet, ({ method }) =>
      method === "GET" ? { status: 200, body: { items: [] } } : "cut",
    );
    it.inputs = { email: "marit@alpha.example" };
    expect((await it.run()).state).toBe("unsure");
    const sent = it.sent.length;
    it.add({ type: "stopping", at: it.time, by: "Marit" });
    expect(await it.run()).toMatchObject({ state: "stopped" });
    expect(it.sent).toHaveLength(sent);
  });

  it("of the service leaves the rest for its next start", async () => {
    const it = world();
    it.beforeSend = (request) => request.url.includes("corrie") && it.pause.abort();
    expect((await it.run()).state).toBe("queued");
    const next = world();
    next.rows = it.rows;
    expect((await next.run()).state).toBe("succeeded");
    expect(it.count("POST") + next.count("POST")).toBe(3);
  });

  it("by a stop step ends with its state and message", async () => {
    const it: World = new World(`
copper-kettle: 1
name: end
steps:
  - step: all
    each: lists.range(3)
    steps:
      - step: over
        if: index == 1
        then: [{ step: out, fail: "enough at \${index}" }]
`);
    expect(await it.run()).toMatchObject({
      state: "failed",
      error: { code: "failed", message: "enough at 1", step: "all[1]/out" },
    });
  });
});
