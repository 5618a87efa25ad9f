import { createHash, createHmac } from "node:crypto";
import { afterAll, beforeAll, beforeEach, describe, expect, it } from "vitest";
import {
  boards,
  boardsToken,
  depot,
  depotPassword,
  depotUser,
  lockedPass,
  notices,
  noticesKey,
  passes,
  passesKey,
  passWithoutUsage,
  startStandIn,
  stays,
  staysKey,
  stores,
  storesOffice,
  storesKey,
  tanks,
  tanksSecret,
  tanksToken,
  trails,
  trailsKey,
  type Definition,
  type StandIn,
} from "./index.js";
import { documentOf } from "./document.test.kit.js";

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
    "passes",
    passes,
    passesKey,
    [
      ["GET", "/passes"],
      ["GET", "/passes?page=5&size=20"],
      ["GET", "/passes/ps-1/usage"],
      ["GET", `/passes/${passWithoutUsage}/usage`],
      ["PUT", "/passes/ps-1/limits", { nights: 12 }],
      ["PUT", "/passes/ps-1/limits", { nights: "many" }],
      ["PUT", "/passes/ps-99/limits", { nights: 1 }],
      ["PUT", `/passes/${lockedPass}/limits`, { nights: 1 }],
    ],
  ],
  [
    "notices",
    notices,
    noticesKey,
    [
      ["GET", "/styles"],
      ["POST", "/drafts", { prompt: "When?" }],
      ["POST", "/drafts", { prompt: "And then?", turns: [{ question: "When?", answer: "At 7." }] }],
      ["POST", "/drafts", { prompt: " " }],
    ],
  ],
  [
    "boards",
    boards,
    boardsToken,
    [
      ["GET", "/boards/corrie/posts"],
      ["POST", "/boards/corrie/posts", { content: [{ text: "a" }, { picture: "f1" }], clientRef: "t1" }],
      ["POST", "/boards/corrie/posts", { content: [{ text: "a" }], clientRef: "t1" }],
      ["GET", "/boards/corrie/posts/p-1"],
      ["GET", "/boards/corrie/posts/p-none"],
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

describe("the stand-ins with credentials of other types", () => {
  const ask = async (url: string, headers: Record<string, string> = {}) => {
    const response = await fetch(url, { headers });
    const text = await response.text();
    const json = response.headers.get("content-type")?.includes("json") ?? false;
    return {
      status: response.status,
      body: (json ? JSON.parse(text) : text) as unknown,
      headers: response.headers,
    };
  };

  it("depot wants Basic for orders and Digest for stock, and challenges with both algorithms", async () => {
    const standIn = await startStandIn(depot());
    const faults = documentOf("depot");
    const basic = `Basic ${Buffer.from(`${depotUser}:${depotPassword}`).toString("base64")}`;
    expect((await ask(`${standIn.url}/orders`, { Authorization: basic })).body).toContain(
      "o-1,corrie,blankets,2",
    );
    const refused = await ask(`${standIn.url}/orders`);
    expect(refused.headers.get("www-authenticate")).toContain("Basic");
    expect(faults("GET", "/orders", 401, refused.body)).toEqual([]);
    const challenged = await ask(`${standIn.url}/stock`);
    expect(challenged.headers.get("www-authenticate")).toMatch(/SHA-256.*MD5/);
    expect(faults("GET", "/stock", 401, challenged.body)).toEqual([]);
    await standIn.close();
  });

  it("stores wants two headers, and has fields that are null or absent", async () => {
    const standIn = await startStandIn(stores());
    const faults = documentOf("stores");
    const keys = { "X-Store-Office": storesOffice, "X-Store-Key": storesKey };
    for (const [tag, status] of [
      ["T-100", 200],
      ["T-101", 200],
      ["T-102", 200],
      ["T-999", 404],
    ] as const) {
      const answer = await ask(`${standIn.url}/items/${tag}`, keys);
      expect(answer.status).toBe(status);
      expect(faults("GET", `/items/${tag}`, status, answer.body)).toEqual([]);
    }
    expect((await ask(`${standIn.url}/items/T-100`, { ...keys, Accept: "application/xml" })).body).toContain(
      "<name>Stove</name>",
    );
    expect((await ask(`${standIn.url}/items/T-100`, { "X-Store-Office": storesOffice })).body).toMatchObject({
      message: "The header X-Store-Key is missing.",
    });
    await standIn.close();
  });

  it("trails wants its key in the query", async () => {
    const standIn = await startStandIn(trails());
    const faults = documentOf("trails");
    const key = `api_key=${encodeURIComponent(trailsKey)}`;
    for (const [query, status] of [
      [`${key}&stretch=a-b&day=2099-03-01`, 200],
      [`${key}&stretch=a-b`, 422],
      [`${key}&stretch=a-b&day=2020-03-01`, 422],
      ["stretch=a-b&day=2099-03-01", 401],
    ] as const)
      for (const path of ["/conditions", "/forecast"]) {
        const answer = await ask(`${standIn.url}${path}?${query}`);
        expect(answer.status).toBe(status);
        expect(faults("GET", path, status, answer.body)).toEqual([]);
      }
    const past = await ask(`${standIn.url}/forecast?${key}&stretch=a-b&day=2020-03-01`);
    expect(past.body).toMatchObject({ field: "day", message: "day must lie in the future." });
    await standIn.close();
  });

  it("tanks refuses a stale time, a used nonce and a wrong signature", async () => {
    const standIn = await startStandIn(tanks());
    const faults = documentOf("tanks");
    const signed = (path: string, nonce: string, time = Math.floor(Date.now() / 1000)) => {
      const base = ["GET", path, time, nonce, createHash("sha256").update("").digest("base64")].join("\n");
      const signature = createHmac("sha256", tanksSecret).update(base).digest("base64");
      return { "X-Token": tanksToken, "X-Time": String(time), "X-Nonce": nonce, "X-Signature": signature };
    };
    const good = await ask(`${standIn.url}/tanks`, signed("/tanks", "n1"));
    expect(faults("GET", "/tanks", 200, good.body)).toEqual([]);
    const again = await ask(`${standIn.url}/tanks`, signed("/tanks", "n1"));
    expect(again.body).toMatchObject({ message: "This nonce was used before." });
    expect(faults("GET", "/tanks", 401, again.body)).toEqual([]);
    expect((await ask(`${standIn.url}/tanks`, signed("/tanks", "n2", 1_700_000_000))).body).toMatchObject({
      message: "The timestamp is stale.",
    });
    expect((await ask(`${standIn.url}/tanks`, signed("/other", "n3"))).body).toMatchObject({
      message: "The signature does not match the request.",
    });
    const nowhere = await ask(`${standIn.url}/tanks/nowhere`, signed("/tanks/nowhere", "n4"));
    expect(nowhere).toMatchObject({ status: 200, body: { code: 11, message: "nowhere has no tank." } });
    expect(faults("GET", "/tanks/{hut}", 200, nowhere.body)).toEqual([]);
    await standIn.close();
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
