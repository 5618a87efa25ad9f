import { Ajv2020 } from "ajv/dist/2020.js";
import addFormats from "ajv-formats";
import { readFileSync } from "node:fs";
import { afterAll, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { parse } from "yaml";
import {
  boards,
  boardsToken,
  startStandIn,
  stays,
  staysKey,
  type Definition,
  type StandIn,
} from "./index.js";

interface Document {
  paths: Record<string, Record<string, { operationId: string; responses: Record<string, unknown> }>>;
}

/** A check of answers against a stand-in's own document. */
function documentOf(name: string) {
  const document = parse(
    readFileSync(new URL(`./openapi/${name}.yaml`, import.meta.url), "utf8"),
  ) as Document;
  const ajv = new Ajv2020({ strict: false });
  addFormats.default(ajv);
  ajv.addSchema(document, "doc");
  return (method: string, path: string, status: number, body: unknown): string[] => {
    const template = Object.keys(document.paths).find((key) =>
      new RegExp(`^${key.replace(/\{\w+\}/g, "[^/]+")}$`).test(path),
    );
    if (!template) return [`no path ${path}`];
    const pointer = ["paths", template, method.toLowerCase(), "responses", String(status)];
    const response = (document.paths[template]?.[method.toLowerCase()]?.responses ?? {})[String(status)] as
      { $ref?: string } | undefined;
    if (!response) return [`${method} ${template} does not describe ${status}`];
    const escaped = pointer.map((part) => part.replaceAll("~", "~0").replaceAll("/", "~1"));
    const at = response.$ref?.slice(1) ?? `/${escaped.join("/")}`;
    const validate = ajv.compile({ $ref: `doc#${at}/content/application~1json/schema` });
    return validate(body)
      ? []
      : (validate.errors ?? []).map((error) => `${error.instancePath} ${error.message}`);
  };
}

describe.each<[string, () => Definition, string, [string, string, unknown?][]]>([
  [
    "stays",
    stays,
    staysKey,
    [
      ["GET", "/guests"],
      ["GET", "/guests?email=ODD@huts.example"],
      ["GET", "/guests/g-1"],
      ["GET", "/guests/g-99"],
      ["POST", "/guests", { email: "marit@alpha.example" }],
      ["POST", "/guests", { email: "marit" }],
      ["GET", "/huts"],
      ["GET", "/stays?size=5&cursor=10"],
      ["POST", "/stays", { guestId: "g-1", hut: "corrie" }],
      ["POST", "/stays", { guestId: "g-9", hut: "corrie" }],
      ["POST", "/stays/s-1/cancel"],
      ["POST", "/stays/s-99/cancel"],
    ],
  ],
  [
    "boards",
    boards,
    boardsToken,
    [
      ["GET", "/boards/corrie/posts"],
      ["POST", "/boards/corrie/posts", { content: [{ text: "a" }, { picture: "f1" }], transaction: "t1" }],
      ["POST", "/boards/corrie/posts", { content: [{ text: "a" }], transaction: "t1" }],
      ["POST", "/boards/corrie/posts", { content: [] }],
      ["POST", "/boards/corrie/posts", { content: [{ sound: 1 }] }],
      ["GET", "/boards/corrie/posts"],
    ],
  ],
])("the stand-in %s", (name, definition, key, calls) => {
  let standIn: StandIn;
  beforeAll(async () => {
    standIn = await startStandIn(definition());
  });
  beforeEach(() => fetch(`${standIn.url}/_control/reset`, { method: "POST" }));
  afterAll(() => standIn.close());
  const call = async (method: string, path: string, body?: unknown, authorization = `Bearer ${key}`) => {
    const response = await fetch(standIn.url + path, {
      method,
      headers: {
        "Content-Type": "application/json",
        ...(authorization ? { Authorization: authorization } : {}),
      },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    });
    return {
      status: response.status,
      body: (await response.json()) as Record<string, unknown>,
      headers: response.headers,
    };
  };

  it("answers as its own document says", async () => {
    const faults = documentOf(name);
    for (const [method, path, body] of calls) {
      const answer = await call(method, path, body);
      expect(
        faults(method, path.split("?")[0] as string, answer.status, answer.body),
        `${method} ${path} ${answer.status}`,
      ).toEqual([]);
    }
    expect((await fetch(`${standIn.url}/openapi.yaml`)).status).toBe(200);
  });

  it("says what is wrong with a key", async () => {
    const [method, path] = calls[0] as [string, string];
    for (const [field, said] of [
      ["", "missing"],
      [key, 'must begin with "Bearer "'],
      [`Bearer Bearer ${key}`, "twice"],
      ["Bearer x", "not known"],
    ] as const) {
      const answer = await call(method, path, undefined, field);
      expect(answer.status).toBe(401);
      expect(answer.body["message"]).toContain(said);
      expect(documentOf(name)(method, path, 401, answer.body)).toEqual([]);
    }
  });

  it("keeps a log of what arrived, and misbehaves when told to", async () => {
    const [method, path] = calls[0] as [string, string];
    await fetch(`${standIn.url}/_control/faults`, {
      method: "PUT",
      headers: { "Content-Type": "application/json" },
      body: JSON.stringify({
        faults: [
          { times: 1, status: 503, headers: { "Retry-After": "7" } },
          { times: 1, drop: "before" },
        ],
      }),
    });
    expect(await call(method, path)).toMatchObject({ status: 503 });
    await expect(call(method, path)).rejects.toThrow();
    expect((await call(method, path)).status).toBe(200);
    const { requests } = (await (await fetch(`${standIn.url}/_control/requests`)).json()) as {
      requests: { status: number; headers: Record<string, string> }[];
    };
    expect(requests.map((request) => request.status)).toEqual([503, 0, 200]);
    expect(requests[0]?.headers["authorization"]).toBe(`Bearer ${key}`);
  });
});

describe("boards", () => {
  it("takes five requests a second, and says how long to wait in either form", async () => {
    const standIn = await startStandIn(boards());
    const answers = await Promise.all(
      Array.from({ length: 9 }, () =>
        fetch(`${standIn.url}/boards/eyrie/posts`, { headers: { Authorization: `Bearer ${boardsToken}` } }),
      ),
    );
    const refused = answers.filter((answer) => answer.status === 429);
    expect(refused).toHaveLength(4);
    const waits = refused.map((answer) => answer.headers.get("retry-after") as string);
    expect(waits.some((wait) => /^\d+$/.test(wait))).toBe(true);
    expect(waits.some((wait) => / GMT$/.test(wait))).toBe(true);
    await standIn.close();
  });
});
