import { createClient, routes } from "@copper-kettle/contract";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { Attacked, statusOf } from "./attacked.kit.js";

describe("whoever may not use a credential", () => {
  let it_: Attacked;
  beforeAll(async () => {
    it_ = await Attacked.start();
    await it_.world.client.call(routes.putCredential, {
      params: { name: "own" },
      body: {
        kind: "bearer",
        token: "sk-own-1234567890",
        hosts: [new URL(it_.world.stays.url).host],
        mayUse: ["ines"],
      },
    });
  });

  afterAll(() => it_.close());

  const step = (using: string): string =>
    `copper-kettle: 1\nname: stolen\nsteps:\n  - step: a\n    request: GET ${it_.mine.url}/guest\n    ${using}\n`;
  it.each([
    ["plain", "using: own"],
    ["a key in quotes", '"using": own'],
    ["a blank before the colon", "using : own"],
    ["an escape", 'using: "\\x6fwn"'],
    ["a block", "using: >-\n      own"],
    ["a tag", "using: !!str own"],
    ["a comment and a line", "using: # whose?\n      own"],
    ["single quotes", "using: 'own'"],
    ["a key in single quotes", "'using': own"],
    ["a complex key", "? using\n    : own"],
    ["a literal block", "using: |-\n      own"],
    ["an anchor", "using: &x own"],
    ["a unicode escape", 'using: "\\u006f\\u0077\\u006e"'],
    ["an escaped line", 'using: "o\\\n      wn"'],
    ["a key with an escape", '"\\x75sing": own'],
  ])("does not use it, however it is spelled: %s", async (_what, using) => {
    const params = { name: "stolen" };
    const pushed = await it_.odd.call(routes.pushWorkflow, { params, body: { text: step(using) } });
    expect(pushed.problemList).toEqual([]);
    expect(await statusOf(it_.odd.call(routes.publishWorkflow, { params }))).toBe(403);
    expect(await statusOf(it_.odd.call(routes.startRun, { params, body: { draft: true } }))).toBe(403);
  });

  it("gets no address for a draft that uses it, and through an address from before it does not use it either", async () => {
    const params = { name: "hooked" };
    const push = (verify: string, using: string) =>
      it_.odd.call(routes.pushWorkflow, {
        params,
        body: {
          text: `copper-kettle: 1\nname: hooked\ntriggers: { t: { webhook: { path: hooked, verify: ${verify} } } }\nsteps: [{ step: a, request: "GET ${it_.mine.url}/guest"${using} }]\n`,
        },
      });
    const event = { params, body: { trigger: "t", brought: {} } };
    for (const [verify, using] of [
      ["none", ", using: own"],
      ["{ bearer: own }", ""],
    ] as const) {
      await push(verify, using);
      expect(await statusOf(it_.odd.call(routes.draftAddress, { params }))).toBe(403);
      expect(await statusOf(it_.odd.call(routes.makeUpEvent, event))).toBe(403);
    }
    await push("none", "");
    const { address } = await it_.odd.call(routes.draftAddress, { params });
    const send = async () => (await fetch(address, { method: "POST" })).json() as Promise<{ run: string }>;
    expect((await it_.world.settled((await send()).run)).state).toBe("succeeded");
    await push("none", ", using: own");
    const run = await it_.world.settled((await send()).run);
    expect(run).toMatchObject({
      state: "failed",
      error: { message: expect.stringContaining("in the name of odd") as string },
    });
    await push("{ bearer: own }", "");
    expect((await fetch(address, { method: "POST" })).status).toBe(401);
  });

  it("does not use it as JSON, by an alias, in an ensure, in a probe, or in a loop", async () => {
    const params = { name: "stolen" };
    const get = { request: `GET ${it_.mine.url}/guest`, using: "own" };
    const files: object[][] = [
      [{ step: "a", ...get }],
      [{ step: "a", ensure: { find: get } }],
      [{ step: "a", each: "[1]", steps: [{ step: "b", if: "true", then: [{ step: "c", ...get }] }] }],
      [
        {
          step: "a",
          request: `POST ${it_.mine.url}/guest`,
          "if-unsure": "probe",
          probe: { ...get, happened: "true" },
        },
      ],
      [{ step: "a", group: { steps: [{ step: "b", note: "x" }] }, catch: [{ step: "c", ...get }] }],
      [{ step: "a", together: { branches: { left: [{ step: "b", ...get }] } } }],
    ];
    const withTriggers = (triggers: object): string =>
      JSON.stringify({ "copper-kettle": 1, name: "stolen", triggers, steps: [{ step: "a", note: "x" }] });
    const texts = files.map((steps) => JSON.stringify({ "copper-kettle": 1, name: "stolen", steps }));
    texts.push(
      withTriggers({ p: { poll: { ...get, every: "1h" } } }),
      withTriggers({ w: { webhook: { path: "w", verify: { bearer: "own" } } } }),
      `copper-kettle: 1\nname: stolen\nabout: &who own\nsteps:\n  - { step: a, request: GET ${it_.mine.url}/guest, using: *who }\n`,
    );
    for (const text of texts) {
      const { problemList } = await it_.odd.call(routes.pushWorkflow, { params, body: { text } });
      expect(problemList.filter(({ severity }) => severity === "error")).toEqual([]);
      expect([text, await statusOf(it_.odd.call(routes.publishWorkflow, { params }))]).toEqual([text, 403]);
    }
  });

  it("does not use it by a run that is started again with a draft, an older version, an API, or a constant", async () => {
    const harmless = await it_.world.publish(
      `copper-kettle: 1\nname: again\nsteps:\n  - { step: a, note: x }\n`,
    );
    const run = await it_.world.settled(
      (await it_.odd.call(routes.startRun, { params: { name: harmless }, body: {} })).id,
    );
    const text = step("using: own").replace("name: stolen", "name: again");
    await it_.odd.call(routes.pushWorkflow, { params: { name: "again" }, body: { text } });
    const again = { params: { id: run.id }, body: { version: "draft" as const } };
    expect(await statusOf(it_.odd.call(routes.runAgain, again))).toBe(403);

    const document = {
      openapi: "3.1.0",
      info: { title: "x", version: "1" },
      servers: [{ url: it_.mine.url }],
      paths: { "/guest": { get: { operationId: "guest" } } },
    };
    const api = { text: JSON.stringify(document) };
    await it_.odd.call(routes.putApi, { params: { name: "mine" }, body: api });
    const called = `copper-kettle: 1\nname: by-api\nsteps:\n  - { step: a, operation: mine.guest }\n`;
    await it_.odd.call(routes.pushWorkflow, { params: { name: "by-api" }, body: { text: called } });
    await it_.odd.call(routes.publishWorkflow, { params: { name: "by-api" } });
    expect(
      await statusOf(
        it_.odd.call(routes.putApi, { params: { name: "mine" }, body: { ...api, credential: "own" } }),
      ),
    ).toBe(403);
    // Even where somebody who may gives it that credential: what odd published acts in the name of odd.
    await it_.world.client.call(routes.putApi, {
      params: { name: "mine" },
      body: { ...api, credential: "own" },
    });
    // Nor does odd send its calls elsewhere: by an operation with servers of its own, pasted or written.
    const elsewhere = { operationId: "guest", servers: [{ url: "https://elsewhere.example" }] };
    for (const change of [
      it_.odd.call(routes.putOperation, {
        params: { name: "mine", id: "guest" },
        body: { operation: elsewhere },
      }),
      it_.odd.call(routes.addOperation, {
        params: { name: "mine" },
        body: { text: "curl https://elsewhere.example/x" },
      }),
    ])
      expect(await statusOf(change)).toBe(403);
    const { id } = await it_.odd.call(routes.startRun, { params: { name: "by-api" }, body: {} });
    expect((await it_.world.settled(id)).error).toMatchObject({
      code: "credential",
      message: expect.stringContaining("in the name of odd"),
    });

    // What the owner published goes where the credential is bound to, wherever a constant points.
    await it_.world.publish(
      'copper-kettle: 1\nname: pointed\nsteps:\n  - { step: a, request: "GET ${constants.base}/guest", using: own }\n'.replace(
        "pointed",
        "pointed",
      ),
    );
    await it_.odd.call(routes.putConstant, { params: { name: "base" }, body: { value: it_.mine.url } });
    const pointed = await it_.odd.call(routes.startRun, { params: { name: "pointed" }, body: {} });
    expect((await it_.world.settled(pointed.id)).error?.message).toContain("is bound to");
    expect(it_.mine.requests.filter(({ headers }) => headers.authorization)).toEqual([]);
  });

  it("has what a version may use on record, until the owner withdraws it", async () => {
    await it_.world.publish("copper-kettle: 1\nname: inner\nsteps:\n  - { step: a, note: x }\n");
    const { host } = new URL(it_.world.stays.url);
    const text = `copper-kettle: 1
name: granted
steps:
  - { step: read, request: "GET \${constants.stays}/guests", using: stays-key }
  - { step: called, workflow: { name: inner } }
  - { step: shut, request: "GET ${it_.mine.url}/guest" }
`;
    const params = { name: "granted" };
    await it_.odd.call(routes.pushWorkflow, { params, body: { text } });
    await it_.odd.call(routes.publishWorkflow, { params });
    const given = await it_.odd.call(routes.listGrants, { params });
    const mine = new URL(it_.mine.url).host;
    expect(given.grants.map(({ kind, name, givenBy }) => [kind, name, givenBy])).toEqual([
      ["credential", "stays-key", "odd"],
      ...[host, mine].sort().map((name) => ["host", name, "odd"]),
      ["workflow", "inner", "odd"],
    ]);
    const ended = async () =>
      it_.world.settled((await it_.odd.call(routes.startRun, { params, body: {} })).id, [
        "succeeded",
        "failed",
      ]);
    expect((await ended()).state).toBe("succeeded");
    // Who gave it is gone; what was given holds.
    for (const body of [
      { kind: "credential", name: "stays-key" },
      { kind: "workflow", name: "inner" },
      { kind: "host", name: mine },
    ] as const) {
      expect(await statusOf(it_.odd.call(routes.withdrawGrant, { params, body }))).toBe(403);
      await it_.world.client.call(routes.withdrawGrant, { params, body });
      expect((await ended()).error?.message).toContain("owner withdrew that from version 1 of granted");
      await it_.world.killAndServe();
      expect((await ended()).error?.message).toContain("owner withdrew that from version 1 of granted");
      await it_.odd.call(routes.publishWorkflow, { params });
      expect((await ended()).state).toBe("succeeded");
    }
    expect(
      await statusOf(
        it_.world.client.call(routes.withdrawGrant, { params, body: { kind: "host", name: "x" } }),
      ),
    ).toBe(404);
    const shown = await it_.world.ckettle([
      "workflow",
      "grants",
      "granted",
      "--withdraw",
      "credential:stays-key",
    ]);
    expect(shown.out).toMatch(/credential +stays-key +odd .*by owner/);
    const { activity } = await it_.world.client.call(routes.listActivity, { query: {} });
    expect(activity[0]).toMatchObject({ by: "owner", action: "withdrew", kind: "workflow", name: "granted" });
  });

  it("is not taken for another of the same name", async () => {
    // A token that is called like the service, a kind or nobody is a token of that name.
    for (const name of ["service", "run", "nobody"]) {
      const { token } = await it_.world.client.call(routes.createToken, { body: { name } });
      const other = createClient({ baseUrl: it_.world.url, token });
      await other.call(routes.pushWorkflow, {
        params: { name: "stolen" },
        body: { text: step("using: own") },
      });
      expect(await statusOf(other.call(routes.publishWorkflow, { params: { name: "stolen" } }))).toBe(403);
    }
  });

  it("does not use it by changing whom it is for, or where it goes", async () => {
    const body = { kind: "bearer" as const, hosts: [new URL(it_.mine.url).host], mayUse: ["odd"] };
    expect(await statusOf(it_.odd.call(routes.putCredential, { params: { name: "own" }, body }))).toBe(403);
    expect(await statusOf(it_.odd.call(routes.removeCredential, { params: { name: "own" } }))).toBe(403);
    const tried = { url: `${it_.mine.url}/guest`, using: "own" };
    expect(await statusOf(it_.odd.call(routes.tryOperation, { body: tried }))).toBe(403);
  });
});
