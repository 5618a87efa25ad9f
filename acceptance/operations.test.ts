import { createClient, routes } from "@copper-kettle/contract";
import { staysKey } from "@copper-kettle/standins";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { arrived, faults, reset, World } from "./kit.js";

describe("operations that people have worked on", () => {
  let world: World;
  beforeAll(async () => {
    world = await World.start();
    const document = {
      openapi: "3.1.1",
      info: { title: "Stays", version: "1" },
      servers: [{ url: world.stays.url }],
      paths: {
        "/guests": {
          get: { operationId: "listGuests" },
          post: {
            operationId: "addGuest",
            "x-ckettle-link": "https://stays.example/desk/guests/${body.id}",
            "x-ckettle-read-back": { operation: "getGuest", parameters: { id: "${body.id}" } },
            requestBody: {
              required: true,
              content: {
                "application/json": {
                  schema: {
                    type: "object",
                    required: ["email", "name"],
                    properties: {
                      email: {
                        type: "string",
                        title: "Guest e-mail",
                        "x-ckettle-rule": {
                          holds: "value.endsWith('@huts.example')",
                          otherwise: "Only addresses of the huts",
                        },
                      },
                      name: { type: "string" },
                    },
                  },
                },
              },
            },
          },
        },
        "/guests/{id}": {
          get: {
            operationId: "getGuest",
            "x-ckettle-ids-from": ["https://stays.example/desk/guests/{id}"],
            parameters: [
              {
                name: "id",
                in: "path",
                required: true,
                schema: { type: "string" },
                "x-ckettle-choices-from": {
                  operation: "listGuests",
                  items: "body.items",
                  value: "item.id",
                  label: "item.email",
                },
              },
            ],
          },
        },
      },
    };
    await world.client.call(routes.putApi, {
      params: { name: "hosts" },
      body: { text: JSON.stringify(document), credential: "stays-key" },
    });
    await world.publish(
      `copper-kettle: 1
name: welcome
inputs: { type: object, properties: { email: { type: string }, name: { type: string, default: Hazel } } }
steps:
  # The guest first.
  - { step: made, operation: hosts.addGuest, parameters: { email: "\${inputs.email}", name: "\${inputs.name}" } }
  - { step: reply, respond: { body: "\${steps.made.body.id}" } }
`,
    );
  });
  afterAll(() => world.close());
  const draft = async () => (await world.client.call(routes.workflow, { params: { name: "welcome" } })).text;
  const welcome = async (inputs: object) => world.settled((await world.run("welcome", inputs)).id);
  const operation = (id: string) => world.client.call(routes.operation, { params: { name: "hosts", id } });

  it("take fields of their body by name, and hold them to their rules before anything is sent", async () => {
    await reset(world.stays);
    const run = await welcome({ email: "a@huts.example" });
    expect(run.error).toBeNull();
    expect((await arrived(world.stays, "POST"))[0]?.body).toEqual({ email: "a@huts.example", name: "Hazel" });
    const refused = await welcome({ email: "a@elsewhere.example" });
    expect(refused.error).toMatchObject({ code: "bad-request", step: "made", field: "parameters" });
    expect(refused.error?.message).toContain(
      '"Guest e-mail" (email) of the body of addGuest is not taken: Only',
    );
    expect(await arrived(world.stays, "POST")).toHaveLength(1);
    await world.publish(
      `copper-kettle: 1
name: whole
inputs: { type: object, properties: { email: { type: string, default: w@elsewhere.example } } }
steps:
  - { step: a, operation: hosts.addGuest, body: { json: { email: "\${inputs.email}", name: Whole } } }
`,
    );
    const whole = await world.settled((await world.run("whole")).id);
    expect(whole.error).toMatchObject({ code: "bad-request", field: "body" });
    expect(whole.error?.message).toContain("Only addresses of the huts");
    expect(await arrived(world.stays, "POST")).toHaveLength(1);
    const check = await world.client.call(routes.check, {
      body: {
        text: "copper-kettle: 1\nname: x\nsteps:\n  - { step: a, operation: hosts.addGuest, parameters: { emial: a@huts.example, email: a@elsewhere.example } }\n  - { step: b, operation: hosts.addGuest, body: { json: { email: b@elsewhere.example, name: B } } }\n",
      },
    });
    expect(check.problems).toContainEqual(
      expect.objectContaining({
        line: 5,
        message: expect.stringContaining("Only addresses of the huts") as string,
      }),
    );
    expect(check.problems.map(({ message }) => message)).toEqual(
      expect.arrayContaining([
        expect.stringContaining('no parameter "emial"; did you mean "email"?'),
        expect.stringContaining("Only addresses of the huts"),
        expect.stringContaining('"name" of the body of addGuest is required'),
      ]),
    );
    const tried = await world.ckettle([
      ...[
        "try",
        "hosts.addGuest",
        "--parameter",
        "email=b@elsewhere.example",
        "--parameter",
        "name=Juni",
        "--yes",
      ],
    ]);
    expect(tried.err).toContain("Only addresses of the huts");
    expect(await arrived(world.stays, "POST")).toHaveLength(1);
  });

  it("keep a short secret out of the journal, also in a field of their body", async () => {
    await world.publish(
      `copper-kettle: 1
name: pin
steps:
  - { step: known, set: { pin: "74-2" }, secret: [pin] }
  - { step: made, operation: hosts.addGuest, parameters: { email: pin@huts.example, name: "\${steps.known.pin}" } }
  - { step: again, operation: hosts.addGuest, parameters: { email: pin@huts.example, name: "\${variables.pin}" } }
`,
    );
    await reset(world.stays);
    const run = await world.settled((await world.run("pin")).id);
    expect(run.error).toBeNull();
    expect((await arrived(world.stays, "POST"))[0]?.body).toMatchObject({ name: "74-2" });
    const begun = (await world.entries(run.id)).filter(({ type }) => type === "begun");
    expect(begun).toHaveLength(2);
    expect(JSON.stringify(begun)).not.toContain("74-2");
  });

  it("say where the record is, and read it back field by field", async () => {
    const run = await welcome({ email: "c@huts.example", name: "Corrie" });
    const params = { id: run.id };
    const found = await world.client.call(routes.record, { params, query: { path: "made" } });
    expect(found).toEqual({
      operation: "hosts.addGuest",
      link: `https://stays.example/desk/guests/${String(run.response?.body)}`,
      readBack: "hosts.getGuest",
    });
    const same = await world.client.call(routes.readBack, { params, body: { path: "made" } });
    expect(same).toMatchObject({ operation: "hosts.getGuest", status: 200, failure: null });
    expect(same.fields).toEqual([
      { path: "email", sent: "c@huts.example", there: "c@huts.example", same: true },
      // The API has no such field, and said nothing.
      { path: "name", sent: "Corrie", there: null, same: false },
    ]);
    await reset(world.stays);
    const gone = await world.client.call(routes.readBack, { params, body: { path: "made" } });
    expect(gone).toMatchObject({ status: 404, fields: [] });
    expect(gone.failure).not.toBeNull();
    const none = await world.client.call(routes.record, { params, query: { path: "reply" } });
    expect(none).toEqual({ operation: null, link: null, readBack: null });
    await expect(world.client.call(routes.readBack, { params, body: { path: "reply" } })).rejects.toThrow(
      "has no x-ckettle-read-back",
    );
  });

  it("have the response to a call of a run as a sample, on the command line, too; none where none came", async () => {
    const run = await welcome({ email: "sample@huts.example" });
    const keep = (path: string, id = "addGuest", of = run.id) =>
      world.client.call(routes.saveSample, {
        params: { name: "hosts", id, sample: "of a run" },
        body: { call: { run: of, path }, shape: "leave" },
      });
    expect((await keep("made")).sample).toMatchObject({
      status: 201,
      body: { id: run.response?.body },
      given: { request: { method: "POST", body: { email: "sample@huts.example" } } },
    });
    const said = await world.ckettle(["run", "save-sample", run.id, "made", "by hand", "--shape", "leave"]);
    expect(said.err).toBe('Saved as the sample "by hand"; the document was not changed.\n');
    expect((await world.ckettle(["api", "samples", "hosts.addGuest"])).out).toMatch(/by hand +201/);
    const none = { problem: { type: "urn:copper-kettle:problem:no-response" } };
    await expect(keep("reply")).rejects.toMatchObject(none);
    await expect(
      world.client.call(routes.saveSample, {
        params: { name: "hosts", id: "addGuest", sample: "x" },
        body: { shape: "leave" },
      }),
    ).rejects.toThrow("wants either try or call");
    await expect(keep("made", "getGuest")).rejects.toMatchObject(none);
    const simulated = await world.client.call(routes.startRun, {
      params: { name: run.workflow },
      body: {
        inputs: { email: "x@huts.example" },
        draft: true,
        options: { faults: [{ step: "made", times: 1, status: 404, body: null }] },
      },
    });
    await world.settled(simulated.id);
    await expect(keep("made", "addGuest", simulated.id)).rejects.toMatchObject(none);
    expect(await world.ckettle(["run", "save-sample", run.id, "reply", "x"])).toMatchObject({
      code: 2,
      err: expect.stringContaining("has no response of an operation") as string,
    });
  });

  it("take the address of a page for the id in it", async () => {
    const made = await welcome({ email: "d@huts.example" });
    const id = String(made.response?.body);
    const tried = await world.client.call(routes.tryOperation, {
      body: {
        operation: "hosts.getGuest",
        parameters: { id: `https://stays.example/desk/guests/${id}?tab=1` },
      },
    });
    expect(tried).toMatchObject({ status: 200, body: { id } });
  });

  it("get their choices from another operation", async () => {
    const made = await welcome({ email: "z@huts.example" });
    const { choices } = await world.client.call(routes.choices, {
      params: { name: "hosts", id: "getGuest" },
      query: { of: "id" },
    });
    expect(choices).toContainEqual({ value: made.response?.body, label: "z@huts.example" });
    expect((await world.ckettle(["api", "choices", "hosts.getGuest", "id"])).out).toContain("z@huts.example");
    const none = await world.ckettle(["api", "choices", "hosts.addGuest", "email"]);
    expect(none.err).toContain('No other operation gives the choices of "email"');
    await faults(world.stays, [{ path: "/guests", times: 1, status: 500 }]);
    expect((await world.ckettle(["api", "choices", "hosts.getGuest", "id"])).err).toContain(
      "hosts.listGuests: 500",
    );
  });

  it("are called by nobody who may not use their credential, neither for choices nor to read back", async () => {
    const made = await welcome({ email: "y@huts.example" });
    const { token } = await world.client.call(routes.createToken, { body: { name: "odd" } });
    const odd = createClient({ baseUrl: world.url, token });
    const put = (mayUse: string[]) =>
      world.client.call(routes.putCredential, {
        params: { name: "stays-key" },
        body: { kind: "bearer", token: staysKey, hosts: [new URL(world.stays.url).host], mayUse },
      });
    const choices = () =>
      odd.call(routes.choices, { params: { name: "hosts", id: "getGuest" }, query: { of: "id" } });
    const readBack = () => odd.call(routes.readBack, { params: { id: made.id }, body: { path: "made" } });
    await put(["marit"]);
    await reset(world.stays);
    await expect(choices()).rejects.toThrow("may be used by marit only");
    await expect(readBack()).rejects.toThrow("may be used by marit only");
    expect(await arrived(world.stays)).toEqual([]);
    await put([]);
    await expect(choices()).resolves.toBeDefined();
    await expect(readBack()).resolves.toBeDefined();
  });

  it("get another id, in the drafts that call them; what is published finds them by the old one", async () => {
    const renamed = await world.ckettle(["api", "rename-operation", "hosts.addGuest", "createGuest"]);
    expect(renamed.out).toContain("hosts.addGuest is hosts.createGuest now.");
    expect(renamed.out).toMatch(/Drafts that call it so: .*welcome/);
    expect(await draft()).toContain(
      "# The guest first.\n  - { step: made, operation: hosts.createGuest, parameters:",
    );
    expect((await welcome({ email: "e@huts.example" })).error).toBeNull();
    await world.client.call(routes.publishWorkflow, { params: { name: "welcome" } });
    expect((await welcome({ email: "f@huts.example" })).error).toBeNull();
    expect(await operation("createGuest")).toMatchObject({
      was: ["addGuest"],
      usedBy: expect.arrayContaining(["welcome"]) as string[],
    });
    expect((await operation("addGuest")).id).toBe("createGuest");
    const taken = await world.ckettle(["api", "rename-operation", "hosts.createGuest", "getGuest"]);
    expect(taken.err).toContain('There is another operation "getGuest"');
    // By its editor, too.
    const source = await world.client.call(routes.operationSource, {
      params: { name: "hosts", id: "createGuest" },
    });
    await world.client.call(routes.putOperation, {
      params: { name: "hosts", id: "createGuest" },
      body: { operation: { ...source.operation, operationId: "addGuest" } },
    });
    expect(await draft()).toContain("operation: hosts.addGuest,");
    expect((await operation("addGuest")).was).toEqual(["createGuest"]);
    expect((await welcome({ email: "g@huts.example" })).error).toBeNull();
  });

  it("are not removed while workflows call them, unless one says so", async () => {
    const refused = await world.ckettle(["api", "remove-operation", "hosts.addGuest"]);
    expect(refused.err).toMatch(/hosts.addGuest is called by .*welcome/);
    expect((await operation("addGuest")).id).toBe("addGuest");
    expect((await world.ckettle(["api", "remove-operation", "hosts.addGuest", "--yes"])).code).toBe(0);
    expect((await welcome({ email: "h@huts.example" })).error?.message).toContain(
      'no operation "createGuest"',
    );
  });
});
