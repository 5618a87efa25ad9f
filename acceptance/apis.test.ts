import { routes } from "@copper-kettle/contract";
import {
  boards,
  depot,
  identity,
  ledger,
  staff,
  startStandIn,
  stays,
  staysKey,
  stores,
  tanks,
  trails,
  trailsKey,
  type StandIn,
} from "@copper-kettle/standins";
import { mkdtemp, rm, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { arrived, reset, World } from "./kit.js";

describe("described APIs", () => {
  let world: World;
  let far: Record<string, StandIn>;
  let folder: string;
  beforeAll(async () => {
    const server = identity();
    const definitions = [
      stays(),
      boards(server),
      depot(),
      stores(),
      trails(),
      tanks(),
      server,
      staff(server),
      ledger(server),
    ];
    const started = await Promise.all(definitions.map((definition) => startStandIn(definition)));
    far = Object.fromEntries(started.map((one) => [one.name, one]));
    world = await World.start({ demo: false, env: { COPPER_KETTLE_ALLOW_ADDRESSES: "127.0.0.1" } });
    folder = await mkdtemp(join(tmpdir(), "ckettle-apis-"));
    await world.client.call(routes.putCredential, {
      params: { name: "stays-key" },
      body: { kind: "bearer", token: staysKey },
    });
  });
  afterAll(async () => {
    await world.close();
    await Promise.all(Object.values(far).map((one) => one.close()));
    await rm(folder, { recursive: true });
  });
  const add = (name: string, text: string, more: object = {}) =>
    world.client.call(routes.putApi, { params: { name }, body: { text, ...more } });
  const minimal = (paths: string, more = "") =>
    `openapi: 3.1.0\ninfo: { title: Huts, version: "1" }\nservers: [{ url: "${far["stays"]?.url}" }]\n${more}paths:\n${paths}`;

  it.each(["stays", "boards", "depot", "stores", "trails", "tanks", "identity", "staff", "ledger"])(
    "%s: its document is read from its address, and given back as OpenAPI 3.1",
    async (name) => {
      const { url } = far[name] as StandIn;
      const kept = await world.client.call(routes.putApi, {
        params: { name },
        body: { url: `${url}/openapi.yaml`, server: url },
      });
      expect(kept.api).toMatchObject({
        revision: 1,
        server: url,
        revisions: [{ source: `${url}/openapi.yaml`, by: "owner" }],
      });
      expect(kept.operations).toBeGreaterThan(0);
      const document = await world.client.call(routes.apiDocument, { params: { name } });
      expect(String(document["openapi"])).toMatch(/^3\.1/);
      // What is given back is read the same again.
      expect(
        (
          await world.client.call(routes.previewApi, {
            params: { name },
            body: { text: JSON.stringify(document) },
          })
        ).changes,
      ).toEqual([]);
    },
  );

  it("brings older documents to 3.1: null is a type, parameters have schemas, nothing is lost", async () => {
    const stored = JSON.stringify(
      await world.client.call(routes.apiDocument, { params: { name: "stores" } }),
    );
    expect(stored).toContain('"servicedOn":{"type":["string","null"],"format":"date"}');
    const { parameters } = await world.client.call(routes.operation, {
      params: { name: "trails", id: "conditions" },
    });
    expect(parameters).toMatchObject([
      { name: "stretch", in: "query", required: true, schema: { type: "string" } },
      { name: "day", in: "query" },
    ]);
  });

  it("a workflow calls operations by name, with the API's own credential", async () => {
    await world.client.call(routes.putApi, {
      params: { name: "stays" },
      body: {
        url: `${far["stays"]?.url}/openapi.yaml`,
        server: far["stays"]?.url as string,
        credential: "stays-key",
      },
    });
    await world.publish(
      'copper-kettle: 1\nname: by-operation\ninputs: { type: object, properties: { email: { type: string } } }\nsteps:\n  - { step: a, operation: stays.searchGuests, parameters: { email: "${inputs.email}" } }\n  - { step: b, operation: stays.guest, parameters: { id: "${steps.a.body.items[0].id}" } }\n  - { step: reply, respond: { body: "${steps.b.body.email}" } }\n',
    );
    await reset(far["stays"] as StandIn);
    const run = await world.settled((await world.run("by-operation", { email: "odd@huts.example" })).id);
    expect(run.response?.body).toBe("odd@huts.example");
    expect((await arrived(far["stays"] as StandIn)).map(({ path, query }) => [path, query])).toEqual([
      ["/guests", { email: "odd@huts.example" }],
      ["/guests/g-1", {}],
    ]);
    const entries = await world.entries(run.id);
    expect(entries[0]).toMatchObject({ type: "started", apis: { stays: 2 } });
    expect(entries.find(({ type }) => type === "begun")).toMatchObject({
      data: { operation: "stays.searchGuests", effect: "reads" },
    });
    const detail = await world.client.call(routes.operation, { params: { name: "stays", id: "guest" } });
    expect(detail.usedBy).toEqual(["by-operation"]);
    const credential = await world.client.call(routes.credential, { params: { name: "stays-key" } });
    expect(credential.usedBy).toEqual(["by-operation"]);
  });

  it("a file that calls what is not there is a draft with problems, and cannot be published", async () => {
    const text =
      "copper-kettle: 1\nname: wrong\nsteps:\n  - { step: a, operation: stays.searchGests }\n  - { step: b, operation: stays.guest }\n";
    const draft = await world.client.call(routes.pushWorkflow, { params: { name: "wrong" }, body: { text } });
    expect(draft.problemList).toMatchObject([
      { line: 4, column: 27, message: expect.stringContaining('Did you mean "searchGuests"?') },
      { line: 5, message: expect.stringContaining('"id" of guest is required') },
    ]);
    await expect(
      world.client.call(routes.publishWorkflow, { params: { name: "wrong" } }),
    ).rejects.toMatchObject({ problem: { status: 422 } });
  });

  it("a newer document shows what it changes, and which workflows that touches, before it is taken", async () => {
    await add(
      "huts",
      minimal(
        "  /guests:\n    get: { operationId: guests, parameters: [{ name: email, in: query, schema: { type: string } }] }\n",
      ),
      { credential: "stays-key" },
    );
    await world.publish(
      "copper-kettle: 1\nname: uses-huts\nsteps:\n  - { step: a, operation: huts.guests, parameters: { email: x@huts.example } }\n",
    );
    const newer = join(folder, "newer.yaml");
    await writeFile(
      newer,
      minimal(
        "  /guests:\n    get: { operationId: guests, parameters: [{ name: mail, in: query, required: true, schema: { type: string } }] }\n  /huts: { get: { operationId: huts } }\n",
      ),
    );
    const shown = await world.ckettle(["api", "add", "huts", newer]);
    expect(shown).toMatchObject({ code: 2, err: expect.stringContaining("--yes") });
    expect(shown.out).toBe(
      "~ guests  GET /guests  (used by uses-huts)\n    parameter email is gone\n    parameter mail is new and required\n+ huts  GET /huts\n",
    );
    expect((await world.ckettle(["api", "diff", "huts", newer])).out).toBe(shown.out);
    // A run that was started keeps to its revision; the workflow itself now has a problem.
    expect(
      (await world.ckettle(["api", "add", "huts", newer, "--yes", "--using", "stays-key"])).out,
    ).toContain("huts: revision 2, 2 operations");
    const workflow = await world.client.call(routes.workflow, { params: { name: "uses-huts" } });
    expect(workflow.problemList.map(({ message }) => message).join(" ")).toContain('no parameter "email"');
    await expect(add("huts", minimal("  /a: { get: {} }\n"), { base: 1 })).rejects.toMatchObject({
      problem: { status: 409 },
    });
    const old = await world.client.call(routes.apiDocument, {
      params: { name: "huts" },
      query: { revision: 1 },
    });
    expect(JSON.stringify(old)).toContain('"email"');
  });

  it("what a document fixes is sent, and nobody can change it", async () => {
    await add(
      "fixed",
      minimal(
        "  /guests:\n    get:\n      operationId: guests\n      parameters:\n        - { name: email, in: query, schema: { type: string, const: odd@huts.example } }\n",
      ),
      { credential: "stays-key" },
    );
    await world.publish(
      'copper-kettle: 1\nname: fixed\nsteps:\n  - { step: a, operation: fixed.guests }\n  - { step: reply, respond: { body: "${size(steps.a.body.items)}" } }\n',
    );
    expect((await world.settled((await world.run("fixed")).id)).response?.body).toBe(1);
    const text =
      "copper-kettle: 1\nname: unfixed\nsteps:\n  - { step: a, operation: fixed.guests, parameters: { email: x@huts.example } }\n";
    const draft = await world.client.call(routes.pushWorkflow, {
      params: { name: "unfixed" },
      body: { text },
    });
    expect(draft.problemList[0]?.message).toContain("is fixed and cannot be set");
  });

  it("says what it put right: ids, paths, references, servers", async () => {
    const { notes } = await add(
      "odd",
      "openapi: 3.1.0\npaths:\n  /a/{x}: { get: { operationId: same } }\n  /a/{y}: { get: { operationId: same, parameters: [{ $ref: '#/components/parameters/none' }] } }\n",
    );
    for (const words of [
      '"same" is called "same2"',
      "same but for the names",
      "refers to nothing",
      "lead nowhere",
      "names no server",
    ])
      expect(notes.join(" ")).toContain(words);
    await world.publish(
      "copper-kettle: 1\nname: no-server\nsteps:\n  - { step: a, operation: odd.same, parameters: { x: 1 } }\n",
    );
    expect(await world.settled((await world.run("no-server")).id)).toMatchObject({
      error: { code: "operation", message: expect.stringContaining("--server URL") },
    });
  });

  it("searches 1,000 operations of a document of 5 MB, and opens its list at once", async () => {
    const paths = Object.fromEntries(
      Array.from({ length: 1_000 }, (_, index) => [
        `/things${index}/{id}`,
        {
          get: {
            operationId: `thing${index}`,
            summary: `Thing number ${index}`,
            description: "x".repeat(4_500),
            responses: {
              "200": {
                description: "It.",
                content: { "application/json": { schema: { $ref: "#/components/schemas/Thing" } } },
              },
            },
          },
        },
      ]),
    );
    const components = {
      schemas: { Thing: { type: "object", properties: { inner: { $ref: "#/components/schemas/Thing" } } } },
    };
    const text = JSON.stringify({
      openapi: "3.0.1",
      info: { title: "Things", version: "1" },
      servers: [{ url: "https://things.example" }],
      paths,
      components,
    });
    expect(text.length).toBeGreaterThan(4_500_000);
    expect((await add("things", text)).operations).toBe(1_000);
    const found = await world.client.call(routes.listOperations, {
      params: { name: "things" },
      query: { search: "number 77" },
    });
    expect(found.operations.map(({ id }) => id)).toContain("thing77");
    expect(found.operations).toHaveLength(19);
  });

  it("by the command line: list, show, operations, export, remove", async () => {
    await world.client.call(routes.putCredential, {
      params: { name: "trails-key" },
      body: { kind: "api-key", parts: [{ place: "query", name: "api_key", secret: trailsKey }] },
    });
    const { url } = far["trails"] as StandIn;
    const added = await world.ckettle([
      "api",
      "add",
      "trails",
      `${url}/openapi.yaml`,
      "--server",
      url,
      "--using",
      "trails-key",
    ]);
    expect(added).toMatchObject({
      code: 0,
      out: "trails: revision 2, 2 operations of Trails (Swagger 2.0)\n",
    });
    expect((await world.ckettle(["api", "list"])).out).toMatch(
      new RegExp(`^trails +Trails +2 +${url} +trails-key`, "m"),
    );
    expect((await world.ckettle(["api", "show", "trails"])).out).toContain("https://trails.example");
    expect((await world.ckettle(["api", "show", "stays.createStay"])).out).toMatch(
      /Body, application\/json\nFIELD +TYPE +NOTE\nguestId +text +required\n/,
    );
    expect((await world.ckettle(["api", "show", "trails.conditions"])).out).toMatch(
      /^stretch +query +string +required/m,
    );
    expect((await world.ckettle(["api", "operations", "stays", "--search", "guest record"])).out).toMatch(
      /^createGuest +POST +\/guests +writes/m,
    );
    expect((await world.ckettle(["api", "export", "trails"])).out).toMatch(/^openapi: 3\.1\.1$/m);
    expect(
      JSON.parse((await world.ckettle(["--json", "api", "export", "trails", "--revision", "1"])).out),
    ).toMatchObject({ openapi: "3.1.1" });
    expect((await world.ckettle(["api", "remove", "trails"])).err).toContain("Removed trails");
    expect((await world.ckettle(["api", "show", "trails"])).code).toBe(2);
    const pushed = await world.ckettle(
      ["workflow", "push", "-"],
      "copper-kettle: 1\nname: later\nsteps:\n  - { step: a, operation: trails.conditions }\n",
    );
    expect(pushed.err).toContain('There is no API "trails"');
  });
});
