import { describe, expect, it } from "vitest";
import { World } from "./fakes.test.kit.js";
import type { JsonObject } from "../values/json.js";
import { readWorkflow } from "../workflows/read.js";
import { apiChanges } from "../apis/changes.js";
import { operationName } from "../apis/catalogue.js";
import { readApi, type Operation } from "../apis/openapi.js";
import { operationRequest } from "../apis/operation-request.js";
import { parameterFaults } from "../apis/parameter-faults.js";

const huts: JsonObject = {
  openapi: "3.1.0",
  info: { title: "Huts", version: "2" },
  servers: [
    {
      url: "https://{place}.huts.example/{base}/",
      variables: { place: { default: "corrie" }, base: { default: "v1" } },
    },
  ],
  security: [{ person: ["huts:read"] }],
  "x-ckettle-credential": "huts-key",
  paths: {
    "/huts/{id}": {
      parameters: [{ $ref: "#/components/parameters/id" }],
      get: {
        operationId: "hut",
        summary: "One hut",
        externalDocs: { url: "https://huts.example/docs" },
        parameters: [
          { name: "beds", in: "query", schema: { type: "integer", default: 4, title: "Beds at least" } },
          { name: "size", in: "query", schema: { enum: ["small", "large"] } },
          { name: "key", in: "query", schema: { type: "string", const: "office" } },
        ],
        responses: {
          "200": {
            description: "The hut.",
            content: { "application/json": { schema: { $ref: "#/components/schemas/Hut" } } },
          },
        },
      },
      post: {
        summary: "No id of its own",
        "x-ckettle-effect": "reads",
        security: [{ person: ["huts:write"] }],
        responses: {},
      },
    },
    "/huts/{name}": { get: { operationId: "hut", responses: {} } },
    "/stays": {
      get: {
        operationId: "stays",
        "x-ckettle-pages": { by: "page", items: "body.rows", size: 2 },
        parameters: [{ name: "page", in: "query", schema: { type: "integer", default: 1 } }],
        responses: {},
      },
      post: { operationId: "odd", "x-ckettle-pages": { by: "magic" }, responses: {} },
    },
    "/loop": { get: { operationId: "has spaces!", "x-ckettle-success": "body.ok == true", responses: {} } },
  },
  components: {
    parameters: {
      id: { name: "id", in: "path", required: true, schema: { type: "string" }, description: "Its name." },
    },
    schemas: { Hut: { type: "object", properties: { next: { $ref: "#/components/schemas/Hut" } } } },
  },
};

describe("an OpenAPI document", () => {
  const api = readApi(huts);
  const find = (id: string) => api.operations.find((operation) => operation.id === id) as Operation;

  it("gives its servers with their variables, its credential, and operations with ids that are unique and can be written", () => {
    expect(api).toMatchObject({
      title: "Huts",
      servers: ["https://corrie.huts.example/v1"],
      credential: "huts-key",
    });
    expect(api.operations.map(({ id, method }) => `${id} ${method}`)).toEqual([
      "hut GET",
      "postHutsId POST",
      "hut2 GET",
      "stays GET",
      "odd POST",
      "has_spaces GET",
    ]);
    expect(api.notes.join(" ")).toContain('"hut" is called "hut2"');
    expect(api.notes.join(" ")).toContain("the same but for the names of their parts");
    expect(api.notes.join(" ")).toContain("{name} that no parameter describes");
  });

  it("gives each operation its parameters, effect, scopes, success and docs", () => {
    expect(find("hut")).toMatchObject({
      title: "One hut",
      effect: "reads",
      scopes: ["huts:read"],
      docs: "https://huts.example/docs",
    });
    expect(
      find("hut").parameters.map(({ name, in: place, required, title }) => [name, place, required, title]),
    ).toEqual([
      ["id", "path", true, "id"],
      ["beds", "query", false, "Beds at least"],
      ["size", "query", false, "size"],
      ["key", "query", false, "key"],
    ]);
    expect(find("postHutsId")).toMatchObject({ effect: "reads", scopes: ["huts:write"] });
    expect(find("has_spaces").success).toBe("body.ok == true");
  });

  it("is read whatever is in it: cycles, references that lead nowhere, things of another type", () => {
    const odd = {
      ...huts,
      paths: {
        "/a": { get: { parameters: [{ $ref: "#/nowhere" }, 7, null], responses: [] }, put: 7 },
        "/b": null,
        "/c": { $ref: "#/paths/~1c" },
      },
    };
    expect(readApi(odd as JsonObject).operations.map(({ id }) => id)).toEqual(["getA"]);
    for (const nothing of [{}, { paths: [] }, { paths: { a: { get: {} } }, info: 7, servers: 7 }])
      expect(() => readApi(nothing as JsonObject)).not.toThrow();
  });

  it("puts parameters where they go: defaults filled, fixed ones sent, text encoded", () => {
    expect(
      operationRequest(find("hut"), "https://a.example/v1", { id: "Café & Co/7", size: "small" }),
    ).toEqual({
      method: "GET",
      url: "https://a.example/v1/huts/Caf%C3%A9%20%26%20Co%2F7?beds=4&size=small&key=office",
      headers: {},
      cookiePairs: [],
    });
    expect(operationRequest(find("hut"), "https://a.example", { id: "x", beds: null }).url).toBe(
      "https://a.example/huts/x?beds=4&key=office",
    );
  });

  it.each<[JsonObject, RegExp]>([
    [{}, /"id" of hut is required/],
    [{ id: "" }, /"id" of hut is required/],
    [{ id: "x", bads: 3 }, /has no parameter "bads"; did you mean "beds"\?/],
    [{ id: "x", beds: "many" }, /"Beds at least" \(beds\) of hut must be integer; it is text: "many"/],
    [{ id: "x", size: "huge" }, /must be one of "small", "large", not "huge"/],
    [{ id: "x", key: "mine" }, /"key" of hut is fixed and cannot be set/],
  ])("refuses %j before anything is sent", (given, words) => {
    expect(() => operationRequest(find("hut"), "https://a.example", given)).toThrow(words);
  });

  it("holds back what can be known only when it runs", () => {
    expect(
      parameterFaults(find("hut"), { id: "x", beds: "${inputs.beds}" }, (name) => name !== "beds"),
    ).toEqual([]);
  });

  it("tells what is different in a newer one", () => {
    const newer = structuredClone(huts) as {
      paths: Record<
        string,
        Record<
          string,
          {
            parameters?: { schema: JsonObject; name: string; in: string; required?: boolean }[];
            deprecated?: boolean;
          }
        >
      >;
    };
    const hut = newer.paths["/huts/{id}"]?.["get"];
    hut?.parameters?.splice(1, 1);
    hut?.parameters?.push({ name: "month", in: "query", required: true, schema: { type: "string" } });
    (hut?.parameters?.[0] as { schema: JsonObject }).schema["type"] = "string";
    delete newer.paths["/loop"];
    newer.paths["/new"] = { get: {} };
    expect(apiChanges(api, readApi(newer as unknown as JsonObject))).toEqual([
      expect.objectContaining({
        id: "hut",
        what: "altered",
        details: [
          "parameter beds has another schema",
          "parameter size is gone",
          "parameter month is new and required",
        ],
      }),
      expect.objectContaining({ id: "has_spaces", what: "removed" }),
      expect.objectContaining({ id: "getNew", what: "added" }),
    ]);
    expect(apiChanges(api, readApi(huts))).toEqual([]);
  });
});

describe("styles of parameters (RFC 6570, OpenAPI 3.1 section 4.8.12)", () => {
  const color = ["blue", "black", "brown"];
  const rgb = { R: 100, G: 200, B: 150 };
  const url = (place: string, style: string, explode: boolean, value: unknown): string => {
    const parameter = { name: "color", in: place, required: true, style, explode, schema: {} };
    const path = place === "path" ? "/x{color}" : "/x";
    const [operation] = readApi({
      paths: { [path]: { get: { parameters: [parameter] } } },
    } as JsonObject).operations;
    const made = operationRequest(operation as Operation, "", { color: value } as JsonObject);
    return place === "header" ? String(made.headers?.["color"]) : made.url.slice(2);
  };
  it.each<[string, string, boolean, unknown, string]>([
    ["path", "simple", false, "blue", "blue"],
    ["path", "simple", false, color, "blue,black,brown"],
    ["path", "simple", false, rgb, "R,100,G,200,B,150"],
    ["path", "simple", true, rgb, "R=100,G=200,B=150"],
    ["path", "label", false, "blue", ".blue"],
    ["path", "label", true, color, ".blue.black.brown"],
    ["path", "matrix", false, color, ";color=blue,black,brown"],
    ["path", "matrix", true, color, ";color=blue;color=black;color=brown"],
    ["query", "form", true, color, "?color=blue&color=black&color=brown"],
    ["query", "form", false, color, "?color=blue,black,brown"],
    ["query", "form", true, rgb, "?R=100&G=200&B=150"],
    ["query", "form", false, rgb, "?color=R,100,G,200,B,150"],
    ["query", "spaceDelimited", false, color, "?color=blue%20black%20brown"],
    ["query", "pipeDelimited", false, color, "?color=blue%7Cblack%7Cbrown"],
    ["query", "deepObject", true, rgb, "?color%5BR%5D=100&color%5BG%5D=200&color%5BB%5D=150"],
    ["query", "form", true, "a b&c", "?color=a%20b%26c"],
    ["header", "simple", false, color, "blue,black,brown"],
    ["header", "simple", true, rgb, "R=100,G=200,B=150"],
  ])("%s, %s, explode %s: %j is %s", (place, style, explode, value, expected) => {
    expect(url(place, style, explode, value)).toBe(expected);
  });
});

describe("an operation in a workflow", () => {
  const file = (step: string) =>
    `copper-kettle: 1\nname: test\ninputs: { type: object, properties: { id: {} } }\nsteps:\n  - ${step}\n`;
  const catalogue = {
    apis: () => ["huts"],
    operations: (name: string) => (name === "huts" ? readApi(huts).operations : undefined),
  };

  it.each<[string, string, RegExp | undefined]>([
    ['{ step: a, operation: huts.hut, parameters: { id: "${inputs.id}" } }', "", undefined],
    ["{ step: a, operation: huts.hut }", "operation", /"id" of hut is required/],
    [
      "{ step: a, operation: huts.hutt, parameters: { id: x } }",
      "operation",
      /no operation "hutt". Did you mean "hut"\?/,
    ],
    [
      "{ step: a, operation: hut.hut }",
      "operation",
      /no API "hut". Did you mean "huts"\?.*ckettle api add hut/,
    ],
    ["{ step: a, operation: huts.hut, parameters: { id: x, bads: 1 } }", "parameters", /did you mean "beds"/],
    ["{ step: a, operation: huts.stays, pages: all }", "", undefined],
    [
      "{ step: a, operation: huts.hut, parameters: { id: x }, pages: all }",
      "pages",
      /does not say how the pages of hut go on \(x-ckettle-pages\); say it here/,
    ],
    ["{ step: a, request: GET https://a.example, pages: all }", "pages", /is for an operation/],
    ["{ step: a, operation: hut }", "operation", /such as stays.searchGuests/],
    ["{ step: a, operation: huts.hut, request: GET https://a.example }", "", /has two/],
    [
      "{ step: a, operation: huts.hut, parameters: { id: x }, body: { json: 1, form: {} } }",
      "body",
      /json and form/,
    ],
  ])("%s", (step, field, words) => {
    const { problems } = readWorkflow(file(step), catalogue);
    if (!words) return expect(problems).toEqual([]);
    expect(problems[0]?.message).toMatch(words);
    expect(problems[0]?.field).toContain(field);
  });

  it("is not checked where the APIs are not known", () => {
    expect(readWorkflow(file("{ step: a, operation: huts.other }")).problems).toEqual([]);
  });

  it("is called as its document says: method, server, credential, effect, what counts as success", async () => {
    const world = new World(file("{ step: a, operation: huts.has_spaces, retry: { times: 0 } }"), () => ({
      status: 200,
      body: { ok: false },
    }));
    world.apis = { huts };
    world.credentials = {};
    expect(await world.run()).toMatchObject({
      state: "failed",
      error: { message: expect.stringContaining("body.ok == true") },
    });
    expect(world.sent).toMatchObject([{ method: "GET", url: "https://huts.example/loop" }]);
    const gone = new World(file("{ step: a, operation: huts.gone }"));
    gone.apis = { huts };
    expect(await gone.run()).toMatchObject({ state: "failed", error: { code: "operation" } });
    const missing = new World(
      file('{ step: a, operation: huts.hut, parameters: { id: "${inputs.?id.orValue(null)}" } }'),
    );
    missing.apis = { huts };
    expect(await missing.run()).toMatchObject({
      state: "failed",
      error: { code: "bad-request", message: expect.stringContaining("is required") },
    });
    expect(missing.sent).toEqual([]);
  });

  it("has all its pages read as its document says", async () => {
    const told = '\n  - { step: told, note: "${json.print(steps.a.items)}" }';
    const world = new World(file(`{ step: a, operation: huts.stays, pages: all }${told}`), ({ url }) => ({
      status: 200,
      body: { rows: url.endsWith("page=3") ? [5] : [1, 2] },
    }));
    world.apis = { huts };
    world.credentials = { "huts-key": { kind: "bearer", token: "t" } as never };
    expect(await world.run()).toEqual({ state: "succeeded" });
    expect(world.sent.map(({ url }) => new URL(url).search)).toEqual(["?page=1", "?page=2", "?page=3"]);
    const end = world.entries().find((entry) => entry.type === "ended" && entry.path === "told");
    expect(end).toMatchObject({ outcome: "[1,2,1,2,5]" });
    const without = new World(file("{ step: a, operation: huts.has_spaces, pages: all }"));
    without.apis = { huts };
    expect(await without.run()).toMatchObject({ state: "failed", error: { code: "operation" } });
    expect(readApi(huts).notes).toContainEqual(expect.stringContaining("x-ckettle-pages of odd is not used"));
  });

  it("masks a short secret in its body, where it was given by name among the parameters", async () => {
    const it = new World(
      `copper-kettle: 1\nname: test\ninputs: { type: object, properties: { pin: { type: string, writeOnly: true } } }\nsteps:\n  - { step: a, operation: doors.open, parameters: { door: east, pin: "\${inputs.pin}" } }\n`,
    );
    const properties = { door: { type: "string" }, pin: { type: "string" } };
    const requestBody = { content: { "application/json": { schema: { type: "object", properties } } } };
    it.apis = {
      doors: { paths: { "/open": { post: { operationId: "open", requestBody, responses: {} } } } },
    };
    it.inputs = { pin: "4711" };
    it.start();
    it.add({ type: "secrets", at: it.time, values: [], places: [["inputs", "pin"]] });
    await it.run();
    expect(it.sent.map(({ body }) => body)).toEqual(['{"door":"east","pin":"4711"}']);
    const shown = it.rows.filter(({ entry }) => entry.type !== "started").map(({ open }) => open);
    expect(shown.join("\n")).not.toContain("4711");
  });

  it("knows an operation by its API and id", () => {
    expect(operationName("stays.searchGuests")).toEqual({ api: "stays", id: "searchGuests" });
    expect(operationName("hut-stays.v1.guests")).toEqual({ api: "hut-stays", id: "v1.guests" });
    for (const none of ["stays", ".x", "Stays.x", "stays.", "a b.c"])
      expect(operationName(none)).toBeUndefined();
  });
});
