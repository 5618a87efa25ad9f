import { ProblemError, routes } from "@copper-kettle/contract";
import { writeFile } from "node:fs/promises";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { until, World } from "./kit.js";
import { oddServer, type OddServer } from "./odd-server.kit.js";

describe("operations from samples, their shapes, and drift", () => {
  let world: World;
  let odd: OddServer;
  beforeAll(async () => {
    odd = await oddServer();
    world = await World.start({ demo: false, env: { COPPER_KETTLE_ALLOW_ADDRESSES: "127.0.0.1" } });
  });
  afterAll(async () => {
    await world.close();
    await odd.close();
  });
  const add = (text: string, more: object = {}, name = "odd") =>
    world.client.call(routes.addOperation, { params: { name }, body: { text, ...more } });
  const source = async (id: string, name = "odd") =>
    (await world.client.call(routes.operationSource, { params: { name, id } })).operation;

  it("understands what is pasted, offers the parts that vary, and shows a key only masked", async () => {
    const sample = await world.client.call(routes.readPasted, {
      body: { text: `curl ${odd.url}/guests/17?lang=en -H 'Authorization: Bearer sk-1234567890'` },
    });
    expect(sample).toMatchObject({
      form: "curl",
      method: "GET",
      path: "/guests/17",
      variable: [{ index: 1, value: "17", name: "guestId" }],
      query: { lang: "en" },
      secret: { kind: "bearer", shown: "Authorization: Bearer sk-••• (13 characters)" },
      id: "getGuestsGuestId",
    });
    await expect(
      world.client.call(routes.readPasted, { body: { text: "please fetch my guests" } }),
    ).rejects.toMatchObject({ problem: { status: 422, errors: [{ field: "text" }] } });
  });

  it("makes an API of a sample, and one more operation of the next; ids stay unique, keys go to credentials", async () => {
    const first = await add(`curl -X POST ${odd.url}/only-post -H 'X-Api-Key: sk-1234567890' -d '{"a":1}'`, {
      credential: "odd-key",
    });
    expect(first).toMatchObject({
      id: "postOnlyPost",
      credential: "odd-key",
      api: { credential: "odd-key", revision: 1 },
    });
    const second = await add(`${odd.url}/guest`);
    expect(second).toMatchObject({ id: "getGuest", api: { revision: 2, operations: 2 } });
    const document = await world.client.call(routes.apiDocument, { params: { name: "odd" } });
    expect(JSON.stringify(document)).not.toContain("sk-1234567890");
    await world.client.call(routes.tryOperation, {
      body: { operation: "odd.postOnlyPost", body: { json: { a: 1 } } },
    });
    expect(odd.requests.at(-1)?.headers["x-api-key"]).toBe("sk-1234567890");
    await expect(add(`curl ${odd.url}/x -u a:b`, { credential: "odd-key" })).rejects.toBeInstanceOf(
      ProblemError,
    );
    await expect(add(`curl ${odd.url}/x`, { credential: "other" })).rejects.toMatchObject({
      problem: { type: "urn:copper-kettle:problem:no-key" },
    });
  });

  it("sends what was pasted as it was: any method, every key, a slash at the end, to a server of its own", async () => {
    const text = `curl -X PROPFIND '${odd.url}/cal/?token=t-12345678&v=7.0' -H 'X-Api-Key: k-12345678' -b 'sid=s-12345678' -d '<a/>' -H 'Content-Type: text/xml; charset=utf-8'`;
    await world.client.call(routes.putApi, {
      params: { name: "moved" },
      body: {
        text: JSON.stringify({
          openapi: "3.1.0",
          servers: [{ url: "https://elsewhere.example" }],
          paths: {},
        }),
      },
    });
    const made = await add(text, { id: "look", credential: "many-keys" }, "moved");
    expect(made.notes.join(" ")).toContain("and other calls of moved to https://elsewhere.example");
    expect(JSON.stringify(await source("look", "moved"))).not.toMatch(/12345678/);
    for (const given of [
      { operation: "moved.look", parameters: { v: "7.0" }, body: { xml: "<a/>" }, using: "many-keys" },
      { pasted: text },
    ])
      await world.client.call(routes.tryOperation, { body: given });
    const sent = odd.requests.slice(-2);
    for (const { method, headers } of sent)
      expect([method, headers["x-api-key"], headers["cookie"], headers["content-type"]]).toEqual([
        "PROPFIND",
        "k-12345678",
        "sid=s-12345678",
        "text/xml; charset=utf-8",
      ]);
    for (const { url } of sent) expect(url).toMatch(/^\/cal\/\?v=7\.0&token=t-12345678$/);
  });

  it("saves the credential incomplete where only a placeholder stood, and says so where nothing is saved", async () => {
    const text = `curl ${odd.url}/x -H "Authorization: Bearer $TOKEN"`;
    const made = await add(text, { credential: "later" }, "later");
    expect(made.notes.join(" ")).toContain("is a placeholder ($TOKEN)");
    const credential = await world.client.call(routes.credential, { params: { name: "later" } });
    expect(credential).toMatchObject({ kind: "bearer", missing: ["token"] });
    expect((await add(`curl ${odd.url}/y -u a:b`, {}, "later")).notes.join(" ")).toContain("was not saved");
    await expect(world.client.call(routes.tryOperation, { body: { pasted: text } })).rejects.toMatchObject({
      problem: { errors: [{ field: "pasted", message: expect.stringContaining("placeholder") }] },
    });
  });

  it("keeps a response as a sample and its shape in the document, widened by the next, and never over a document's own", async () => {
    const keep = async (id: string, sample: string, shape?: "replace") => {
      const { id: number } = await world.client.call(routes.tryOperation, {
        body: { operation: `odd.${id}` },
      });
      return world.client.call(routes.saveSample, {
        params: { name: "odd", id, sample },
        body: { try: number, ...(shape ? { shape } : {}) },
      });
    };
    expect(await keep("getGuest", "first")).toMatchObject({
      shaped: true,
      sample: { status: 200, body: { id: "g-1" } },
    });
    const schema = { type: "object", properties: { hut: { type: "null" } }, required: ["id", "age", "hut"] };
    expect(await source("getGuest")).toMatchObject({
      responses: { 200: { content: { "application/json": { schema } } } },
    });
    // The same again changes nothing.
    const { api } = await keep("getGuest", "second");
    expect((await keep("getGuest", "second")).api.revision).toBe(api.revision);
    const raw = await source("getGuest");
    const own = {
      ...raw,
      responses: {
        200: {
          description: "A guest",
          content: {
            "application/json": { schema: { type: "object", properties: { id: { type: "integer" } } } },
          },
        },
      },
    };
    await world.client.call(routes.putOperation, {
      params: { name: "odd", id: "getGuest" },
      body: { operation: own },
    });
    expect(await keep("getGuest", "third")).toMatchObject({ shaped: false });
    expect(
      (await world.client.call(routes.listSamples, { params: { name: "odd", id: "getGuest" } })).samples.map(
        ({ name }) => name,
      ),
    ).toEqual(["first", "second", "third"]);
    await world.client.call(routes.removeSample, {
      params: { name: "odd", id: "getGuest", sample: "third" },
    });
    // A call that brought no response is not a sample.
    const none = await world.client.call(routes.tryOperation, { body: { url: "http://127.0.0.1:1/" } });
    await expect(
      world.client.call(routes.saveSample, {
        params: { name: "odd", id: "getGuest", sample: "x" },
        body: { try: none.id },
      }),
    ).rejects.toMatchObject({ problem: { type: "urn:copper-kettle:problem:no-response" } });
  });

  it("notes where real responses depart: once, with times and count, at the API, the run and Home; strict steps fail", async () => {
    await world.publish("copper-kettle: 1\nname: loose\nsteps:\n  - { step: a, operation: odd.getGuest }\n");
    const before = Date.now();
    const run = await world.settled((await world.run("loose")).id);
    await world.settled((await world.run("loose")).id);
    expect(run.state).toBe("succeeded");
    const entries = await world.entries(run.id);
    expect(entries.find(({ type }) => type === "attempt")?.["drift"]).toMatchObject([
      { path: "id", what: "other-kind" },
      { path: "age", what: "new-field" },
      { path: "hut", what: "new-field" },
    ]);
    const { drift } = await world.client.call(routes.listDrift, { query: { api: "odd" } });
    expect(drift.map(({ operation, path, what }) => `${operation} ${what} ${path}`)).toEqual([
      "odd.getGuest new-field age",
      "odd.getGuest new-field hut",
      "odd.getGuest other-kind id",
    ]);
    // Seen by the try that kept the third sample, too.
    for (const one of drift) expect(one.count).toBe(3);
    expect(Date.parse(drift[0]?.lastAt as string)).toBeGreaterThanOrEqual(before);
    expect((await world.client.call(routes.home)).drift).toEqual(drift);
    expect((await world.ckettle(["api", "drift", "odd"])).out).toMatch(/odd\.getGuest +200 +age +new-field/);

    await world.publish(
      "copper-kettle: 1\nname: exact\nsteps:\n  - { step: a, operation: odd.getGuest, strict: true }\n",
    );
    const failed = await world.settled((await world.run("exact")).id);
    expect(failed).toMatchObject({ state: "failed", error: { code: "drift" } });
    expect(failed.error?.message).toContain("id: it is of type string, but the schema says integer");

    // It survives a restart, and is gone with a document that fits.
    await world.end("SIGTERM");
    await world.serve();
    expect((await world.client.call(routes.listDrift, { query: {} })).drift).toHaveLength(3);
    const { id } = await world.client.call(routes.tryOperation, { body: { operation: "odd.getGuest" } });
    await world.client.call(routes.saveSample, {
      params: { name: "odd", id: "getGuest", sample: "now" },
      body: { try: id, shape: "replace" },
    });
    expect((await world.client.call(routes.listDrift, { query: {} })).drift).toEqual([]);
    expect((await world.settled((await world.run("exact")).id)).state).toBe("succeeded");
  });

  it("an operation is changed and removed by hand; what could not be told apart is refused", async () => {
    const put = (id: string, body: object) =>
      world.client.call(routes.putOperation, {
        params: { name: "odd", id },
        body: { operation: {}, ...body },
      });
    const raw = await source("getGuest");
    const changed = await put("getGuest", {
      operation: {
        ...raw,
        operationId: "guest",
        parameters: [
          {
            name: "lang",
            in: "query",
            schema: { type: "string", const: "en", title: "Language" },
          },
        ],
        "x-ckettle-success": "body.id != ''",
      },
    });
    expect(changed.operation).toMatchObject({
      id: "guest",
      success: "body.id != ''",
      parameters: [{ title: "Language", fixed: "en" }],
    });
    await world.client.call(routes.tryOperation, { body: { operation: "odd.guest" } });
    expect(odd.requests.at(-1)?.url).toBe("/guest?lang=en");
    await expect(
      world.client.call(routes.tryOperation, {
        body: { operation: "odd.guest", parameters: { lang: "de" } },
      }),
    ).rejects.toMatchObject({ problem: { errors: [{ field: "parameters.lang" }] } });
    await expect(put("guest", { path: "no-slash" })).rejects.toMatchObject({
      problem: { errors: [{ field: "path" }] },
    });
    await expect(put("guest", { method: "POST", path: "/only-post" })).rejects.toMatchObject({
      problem: { errors: [{ field: "path" }] },
    });
    await expect(put("guest", { operation: { operationId: "postOnlyPost" } })).rejects.toMatchObject({
      problem: { errors: [{ field: "operationId" }] },
    });
    await expect(put("guest", { method: "BR EW" })).rejects.toMatchObject({
      problem: { errors: [{ field: "method" }] },
    });
    await put("guest", { operation: await source("guest"), path: "/xml" });
    expect((await world.client.call(routes.operation, { params: { name: "odd", id: "guest" } })).path).toBe(
      "/xml",
    );
    await world.client.call(routes.removeOperation, {
      params: { name: "odd", id: "guest" },
      query: { anyway: "true" },
    });
    expect(
      (await world.client.call(routes.listOperations, { params: { name: "odd" }, query: {} })).operations.map(
        ({ id }) => id,
      ),
    ).toEqual(["postOnlyPost"]);
    // Workflows that call it say so, before any run does.
    const { problemList } = await world.client.call(routes.workflow, { params: { name: "loose" } });
    expect(problemList).toMatchObject([{ code: "operation", line: 4 }]);
  });

  it("an inline call is adopted; the workflow then says what has changed since it was published", async () => {
    await world.client.call(routes.putConstant, { params: { name: "odd" }, body: { value: odd.url } });
    await world.publish(
      "copper-kettle: 1\nname: inline\nsteps:\n  - step: a\n    request: POST ${constants.odd}/only-post # kept\n    query: { hut: corrie }\n    body: { multipart: { photo: { base64: \"${base64.encode(b'abc')}\", name: a.bin } } }\n",
    );
    const said = await world.ckettle(["api", "adopt", "inline", "a", "--api", "adopted", "--id", "post"]);
    expect(said).toMatchObject({ code: 0, out: expect.stringContaining("adopted.post") as string });
    const { text } = await world.client.call(routes.workflow, { params: { name: "inline" } });
    expect(text).toContain("    operation: adopted.post # kept\n    parameters: { hut: corrie }\n    body:");
    await world.client.call(routes.publishWorkflow, { params: { name: "inline" } });
    expect((await world.settled((await world.run("inline")).id)).state).toBe("succeeded");
    expect(odd.requests.at(-1)?.url).toBe("/only-post?hut=corrie");
    expect(odd.requests.at(-1)?.body.toString()).toContain(
      'filename="a.bin"\r\nContent-Type: application/octet-stream\r\n\r\nabc\r\n',
    );
    const raw = await source("post", "adopted");
    await world.client.call(routes.putOperation, {
      params: { name: "adopted", id: "post" },
      body: { operation: { ...raw, parameters: [{ name: "hut", in: "query", required: true, schema: {} }] } },
    });
    const { changedOperations } = await world.client.call(routes.workflow, { params: { name: "inline" } });
    expect(changedOperations).toEqual([
      { operation: "adopted.post", what: "altered", details: ["parameter hut is required now"] },
    ]);
    expect((await world.ckettle(["workflow", "show", "inline"])).out).toContain(
      "parameter hut is required now",
    );
    const nothing = await world.ckettle(["api", "adopt", "inline", "a", "--api", "adopted"]);
    expect(nothing).toMatchObject({
      code: 2,
      err: expect.stringContaining('no step "a" with a "request"') as string,
    });
  });

  it("a response of XML is seen as an object by the steps after it, its text beside it", async () => {
    await world.publish(
      `copper-kettle: 1\nname: by-xml\nsteps:\n  - { step: a, request: GET ${odd.url}/xml }\n  - { step: r, respond: { body: { id: "\${steps.a.body.huts.hut['@id']}", text: "\${steps.a.text}" } } }\n`,
    );
    const run = await world.settled((await world.run("by-xml")).id);
    expect(run.response?.body).toEqual({ id: "1", text: '<huts><hut id="1">Corrie</hut></huts>' });
  });

  it("ckettle api from-curl shows what it understands, and adds it", async () => {
    const file = join(world.folder, "sample.txt");
    await writeFile(
      file,
      `curl "${odd.url}/huts/12/notes" -H "X-Desk: corrie" --form "photo=@a.png" --frobnicate`,
    );
    const shown = await world.ckettle(["api", "from-curl", "huts", file, "--show"]);
    expect(shown.out).toMatch(/part 1 +12 → \{hutId\}/);
    expect(shown.out).toMatch(/--frobnicate/);
    const made = await world.ckettle(
      ["api", "from-curl", "huts", "-", "--id", "addNote", "--placeholder", "1=hut"],
      `curl -d '{}' ${odd.url}/huts/12/notes`,
    );
    expect(made).toMatchObject({ code: 0, out: "huts.addNote  (revision 1)\n" });
    expect((await world.ckettle(["api", "show", "huts.addNote"])).out).toMatch(/POST \/huts\/\{hut\}\/notes/);
    await until(
      async () => (await world.ckettle(["api", "samples", "huts.addNote"])).code === 0,
      "samples are listed",
    );
  });
});
