import { describe, expect, it } from "vitest";
import { buildRequest } from "../http/build.js";
import type { JsonObject } from "../values/json.js";
import { readApi, type Operation } from "./openapi.js";
import { bodyType, formFields, operationRequest } from "./operation-request.js";
import { allServers, serverFor } from "./servers.js";

const server = "https://a.example";
/** A document with one operation. */
const documentOf = (operation: object, more: object = {}, path = "/x"): JsonObject =>
  ({
    openapi: "3.1.1",
    info: { title: "Huts", version: "1" },
    servers: [{ url: server }],
    ...more,
    paths: { [path]: { get: { operationId: "one", responses: {}, ...operation } } },
  }) as JsonObject;
const read = (document: JsonObject): Operation => readApi(document).operations[0] as Operation;
const urlOf = (document: JsonObject, given: object = {}): string =>
  operationRequest(read(document), server, given as JsonObject).url.slice(server.length);

describe("a path", () => {
  it("sends its query, whatever fragment or query stands in it already", () => {
    const parameters = [{ name: "n", in: "query", schema: { type: "integer" } }];
    expect(urlOf(documentOf({ parameters }, {}, "/#Action=List"), { n: 1 })).toBe("/?n=1");
    expect(urlOf(documentOf({ parameters }, {}, "/x?Action=List"), { n: 1 })).toBe("/x?Action=List&n=1");
  });

  it("and a query that have a parameter of one name each get their own value", () => {
    const parameters = ["path", "query"].map((place) => ({
      name: "path",
      in: place,
      required: place === "path",
      schema: {},
    }));
    const document = documentOf({ parameters }, {}, "/proxy/{path}");
    expect(read(document).parameters.map(({ name }) => name)).toEqual(["path", "query.path"]);
    expect(urlOf(document, { path: "a", "query.path": "b" })).toBe("/proxy/a?path=b");
  });
});

describe("the style of a parameter", () => {
  const styled = (place: string, style: string, explode: boolean, value: unknown): string => {
    const parameter = { name: "p", in: place, required: true, style, explode, schema: {} };
    const document = documentOf({ parameters: [parameter] }, {}, place === "path" ? "/x/{p}" : "/x");
    const parts = operationRequest(read(document), server, { p: value } as JsonObject);
    const cookie = buildRequest(parts).headers.find(([name]) => name === "Cookie")?.[1];
    return cookie ?? parts.url.slice(`${server}/x`.length);
  };
  const object = { a: 1, b: "two words" };
  // Expected: RFC 6570 section 3.2, and the table of OpenAPI 3.1, section 4.8.12.
  it.each<[string, string, boolean, unknown, string]>([
    ["path", "matrix", true, object, "/;a=1;b=two%20words"],
    ["path", "matrix", false, object, "/;p=a,1,b,two%20words"],
    ["path", "matrix", true, ["x", "y"], "/;p=x;p=y"],
    ["path", "label", true, object, "/.a=1.b=two%20words"],
    ["path", "label", false, object, "/.a,1,b,two%20words"],
    ["path", "simple", true, object, "/a=1,b=two%20words"],
    ["query", "form", true, object, "?a=1&b=two%20words"],
    ["query", "form", false, object, "?p=a,1,b,two%20words"],
    ["query", "spaceDelimited", false, object, "?p=a%201%20b%20two%20words"],
    ["query", "pipeDelimited", false, object, "?p=a%7C1%7Cb%7Ctwo%20words"],
    ["query", "deepObject", true, object, "?p%5Ba%5D=1&p%5Bb%5D=two%20words"],
    [
      "query",
      "deepObject",
      true,
      { tags: ["x", "y"], in: { c: 1 } },
      "?p%5Btags%5D%5B%5D=x&p%5Btags%5D%5B%5D=y&p%5Bin%5D%5Bc%5D=1",
    ],
    ["query", "deepObject", true, ["x", "y"], "?p%5B%5D=x&p%5B%5D=y"],
    ["cookie", "form", false, ["x", "y"], "p=x,y"],
    ["cookie", "form", true, ["x", "y"], "p=x; p=y"],
  ])("%s %s, explode %s", (place, style, explode, value, expected) => {
    expect(styled(place, style, explode, value)).toBe(expected);
  });

  it("Accept, Content-Type and Authorization are no parameters, and named examples are used", () => {
    const parameters = [
      { name: "Authorization", in: "header", required: true, schema: {} },
      { name: "accept", in: "header", required: true, schema: {} },
      { name: "X-Team", in: "header", schema: {}, examples: { one: { value: "office" } } },
    ];
    expect(read(documentOf({ parameters })).parameters).toMatchObject([
      { name: "X-Team", example: "office" },
    ]);
  });
});

describe("a body", () => {
  const withBody = (content: object): Operation => read(documentOf({ requestBody: { content } }));

  it("keeps the parameters of its media type: a version may be one of them", () => {
    expect(bodyType(withBody({ "application/json;version=2018-01-01": {} }), "json")).toBe(
      "application/json;version=2018-01-01",
    );
  });

  it("as a form is written as its document says, and as JSON where that says nothing", () => {
    const form = withBody({
      "application/x-www-form-urlencoded": {
        encoding: {
          metadata: { style: "deepObject", explode: true },
          tags: { explode: false },
          lines: { style: "deepObject", explode: true },
          spread: { style: "form", explode: true },
        },
      },
    });
    expect(
      formFields(form, {
        metadata: { order: 1 },
        tags: ["a", "b"],
        lines: [{ id: 7 }],
        spread: { a: 1, b: 2 },
        plain: "x",
        list: ["a", "b"],
        odd: { c: 1 },
      }),
    ).toEqual({
      "metadata[order]": 1,
      tags: "a,b",
      "lines[0][id]": 7,
      a: 1,
      b: 2,
      plain: "x",
      list: ["a", "b"],
      odd: '{"c":1}',
    });
  });
});

describe("servers", () => {
  it("of an operation stand over those of its path, and those over the document's", () => {
    const document = documentOf({ servers: [{ url: "https://up.example/v1/" }] });
    const paths = document["paths"] as JsonObject;
    paths["/y"] = { servers: [{ url: "//files.example" }], get: { operationId: "two", responses: {} } };
    paths["/z"] = { get: { operationId: "three", responses: {} } };
    const api = readApi(document);
    expect(api.operations.map((operation) => serverFor(api, operation))).toEqual([
      "https://up.example/v1",
      "https://files.example",
      server,
    ]);
    expect(allServers(api)).toEqual([server, "https://up.example/v1", "https://files.example"]);
  });

  it.each(["https:://a.example", "/api", "https://{tenant}.example", "ftp://a.example"])(
    "%s is no address, and said so",
    (url) => {
      const api = readApi(documentOf({}, { servers: [{ url }] }));
      expect(api.servers).toEqual([]);
      expect(api.notes.join(" ")).toContain(`"${url}"`);
    },
  );
});

it("many ids that cannot stand in a file are one note, which hides no other", () => {
  const paths = Object.fromEntries(
    Array.from({ length: 50 }, (_, index) => [
      `/p${index}`,
      { get: { operationId: `a/${index}`, responses: {} } },
    ]),
  );
  const { notes } = readApi({ ...documentOf({}), paths, servers: [] } as JsonObject);
  expect(notes).toHaveLength(2);
  expect(notes.join(" ")).toMatch(/50 ids are .* "a\/0" is called "a_0".* names no server/);
});

it("security schemes become kinds of credentials and their places", () => {
  const securitySchemes = {
    key: { type: "apiKey", in: "header", name: "X-API-Key" },
    user: { type: "http", scheme: "Basic" },
    token: { type: "http", scheme: "bearer" },
    odd: { type: "http", scheme: "Token" },
    flow: {
      type: "oauth2",
      flows: { clientCredentials: { tokenUrl: "https://id.example/token", scopes: { read: "" } } },
    },
    window: { type: "http", scheme: "negotiate" },
    own: { type: "mutualTLS" },
  };
  const { security } = readApi(documentOf({}, { components: { securitySchemes } }));
  expect(security).toMatchObject([
    { name: "key", kind: "api-key", place: { place: "header", name: "X-API-Key", prefix: "" } },
    { name: "user", kind: "basic" },
    { name: "token", kind: "bearer" },
    { name: "odd", kind: "api-key", place: { name: "Authorization", prefix: "Token " } },
    {
      name: "flow",
      kind: "oauth2",
      oauth: { grant: "client-credentials", tokenUrl: "https://id.example/token" },
    },
    { name: "window", kind: undefined },
    { name: "own", kind: "mutual-tls" },
  ]);
});
