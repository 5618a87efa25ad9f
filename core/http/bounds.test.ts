import { describe, expect, it } from "vitest";
import { bounds } from "../values/bounds.js";
import { utf8 } from "../values/encodings.js";
import { readApi, uniqueId } from "../apis/openapi.js";
import { operationRequest } from "../apis/operation-request.js";
import { parseTemplate } from "../expressions/templates.js";
import { dotSegment } from "./dot-segments.js";
import type { ResponseHeaders } from "./message.js";
import { movedTo, noSecrets } from "./other-origin.js";
import { isSlowToRead, readBody } from "./read-body.js";
import { nextWait, type RetryPlan } from "./retry.js";
import { renderUrl } from "./url-template.js";

const answer = (type: string, text: string) =>
  readBody({ status: 200, headers: { "content-type": type }, body: utf8(text), url: "https://a.example/" });

describe("a response that goes beyond a bound", () => {
  it.each<[string, string, string, RegExp]>([
    [
      "JSON that nests too deep",
      "application/json",
      "[".repeat(8_000) + "]".repeat(8_000),
      /nested more than 200/,
    ],
    [
      "CSV of many columns",
      "text/csv",
      Array.from({ length: 20_000 }, (_, at) => `c${at}`).join(),
      /20000 columns/,
    ],
    ["CSV of many rows", "text/csv", `a\n${"1\n".repeat(bounds.csvCells)}`, /cells are read/],
    [
      "XML of many attributes",
      "text/xml",
      `<a ${Array.from({ length: 20_000 }, (_, at) => `a${at}="1"`).join(" ")}/>`,
      /1000 attributes/,
    ],
    [
      "XML of many elements",
      "text/xml",
      `<r>${"<a/>".repeat(bounds.xmlParts)}</r>`,
      /elements and attributes/,
    ],
    [
      "XML that nests too deep",
      "text/xml",
      "<a>".repeat(20_000) + "</a>".repeat(20_000),
      /nested more than 200/,
    ],
    ["XML that is not XML", "text/xml", "<".repeat(100_000), /line 1/],
    [
      "XML that declares entities",
      "text/xml",
      '<!DOCTYPE a [<!ENTITY e SYSTEM "file:///etc/hosts">]><a>&e;</a>',
      /entities/,
    ],
  ])(
    "stays a text, with what is wrong: %s",
    (_what, type, text, fault) => {
      const read = answer(type, text);
      expect(read.body).toBe(text);
      expect(read.fault).toMatch(fault);
      expect(read.fault?.length).toBeLessThan(400);
    },
    10_000,
  );

  it("that names a document elsewhere fetches nothing", () => {
    const text = '<!DOCTYPE a SYSTEM "file:///etc/hosts"><a>b</a>';
    expect(answer("text/xml", text)).toEqual({ body: { a: "b" }, text });
  });

  it("is read beside other work where that takes long: large XML and CSV", () => {
    const sized = (type: string, length: number) =>
      isSlowToRead({ status: 200, headers: { "content-type": type }, body: new Uint8Array(length), url: "" });
    expect([sized("text/csv", bounds.readAside), sized("application/xml", 1e7)]).toEqual([true, true]);
    expect([sized("text/csv", 1_000), sized("application/json", 1e7)]).toEqual([false, false]);
  });
});

describe("a document of an API", () => {
  it("of thousands of operations that are alike takes no longer for each", () => {
    const taken = new Set<string>();
    const ids = Array.from({ length: 20_000 }, () => uniqueId("getGuest", taken));
    expect([ids[0], ids[1], ids[19_999], taken.size]).toEqual([
      "getGuest",
      "getGuest2",
      "getGuest20000",
      20_000,
    ]);
    const paths = Object.fromEntries(Array.from({ length: 5_000 }, (_, at) => [`/a/{x${at}}`, { get: {} }]));
    const { operations, notes } = readApi({ openapi: "3.1.0", paths });
    expect(operations).toHaveLength(5_000);
    expect(notes.length).toBeLessThanOrEqual(bounds.notes + 2);
  }, 30_000);

  it("whose references are encoded badly is read all the same", () => {
    const schema = { $ref: "#/components/%/x" };
    const paths = { "/a": { get: { parameters: [{ name: "q", in: "query", schema }] } } };
    expect(readApi({ openapi: "3.1.0", paths }).operations[0]?.parameters[0]?.schema).toEqual({});
  });
});

describe("a value in a path", () => {
  const operation = (path: string) =>
    readApi({
      openapi: "3.1.0",
      servers: [{ url: "https://stays.example" }],
      paths: { [path]: { delete: { operationId: "remove" } } },
    }).operations[0] as never;

  it("never makes a call of another path: not by dots, and not by what means something in a replacement", () => {
    const url = (path: string, given: object) =>
      operationRequest(operation(path), "https://stays.example", given as never).url;
    expect(url("/guests/{id}", { id: "g-1" })).toBe("https://stays.example/guests/g-1");
    for (const id of ["..", "."]) expect(() => url("/guests/{id}", { id })).toThrow("would change the path");
    expect(() => url("/files/.{ext}", { ext: "." })).toThrow("would change the path");
    expect(url("/guests/{id}", { id: "../x" })).toBe("https://stays.example/guests/..%2Fx");
    expect(url("/guests/{id}", { id: "%2e%2e" })).toBe("https://stays.example/guests/%252e%252e");
    expect(url("/guests/{id}", { id: "$&$`" })).toBe("https://stays.example/guests/%24%26%24%60");
  });

  it("of an inline call neither, also where it only adds a dot", () => {
    const inline = (text: string, x: string) =>
      renderUrl(parseTemplate(text), { x }, { now: () => 0, uuid: () => "" });
    expect(() => inline("https://a.example/g/${x}", "..")).toThrow("would change the path");
    expect(() => inline("https://a.example/g/.${x}/y", ".")).toThrow("would change the path");
    expect(inline("https://a.example/g/v${x}/y", ".")).toBe("https://a.example/g/v./y");
    expect(inline("https://a.example/../g?x=${x}", "..")).toBe("https://a.example/../g?x=..");
    expect(dotSegment("https://a.example/a/%2E%2e/b")).toBe("%2E%2e");
  });
});

describe("a request that goes on to another origin", () => {
  const request = {
    method: "POST",
    url: "https://a.example/x",
    headers: [
      ["Authorization", "Bearer t"],
      ["cookie", "s=1"],
      ["X-Pin", "4711"],
      ["Accept", "*/*"],
    ] as [string, string][],
    body: "b",
  };
  it("loses whatever proves who asks; a body that holds a secret does not go", () => {
    const secrets = { header: (name: string) => name === "X-Pin", body: false };
    expect(movedTo(request, "https://a.example/y", secrets)).toEqual({
      ...request,
      url: "https://a.example/y",
    });
    expect(movedTo(request, "https://b.example/y", secrets)?.headers).toEqual([["Accept", "*/*"]]);
    expect(movedTo(request, "http://a.example/y", noSecrets)?.headers).toEqual([
      ["X-Pin", "4711"],
      ["Accept", "*/*"],
    ]);
    expect(movedTo(request, "https://b.example/y", { ...secrets, body: true })).toBeUndefined();
  });
});

describe("a wait before another attempt", () => {
  it("never exceeds the most, whatever chance adds", () => {
    const plan: RetryPlan = { times: 5, wait: 1_000, factor: 2, most: 3_000, jitter: 1 };
    for (const repeats of [0, 1, 2, 3, 4])
      for (const headers of [{}, { "retry-after": "3" }] as ResponseHeaders[]) {
        const next = nextWait(plan, repeats, { status: 503, headers, failure: null, sent: true }, 0.999, 0);
        expect((next as { wait: number }).wait).toBeLessThanOrEqual(3_000);
      }
  });
});
