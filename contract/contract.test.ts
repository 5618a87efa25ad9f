import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { createClient, ProblemError, routes, Unreachable, urlOf, type AnyRoute } from "./index.js";

describe("the routes", () => {
  const all = Object.entries(routes) as [string, AnyRoute][];

  it("have each a method and path of their own, and the parts of the path as parameters", () => {
    expect(new Set(all.map(([, route]) => `${route.method} ${route.path}`)).size).toBe(all.length);
    for (const [name, route] of all) {
      const parts = [...route.path.matchAll(/\{(\w+)\}/g)].map((match) => match[1] as string);
      const known = Object.keys(
        (route.params?.def as unknown as { shape?: object } | undefined)?.shape ?? {},
      );
      expect(known, name).toEqual(parts);
      expect(route.path, name).toMatch(/^\/api\//);
      expect(route.summary, name).not.toMatch(/\.$/);
      if (route.method === "GET") expect(route.body, name).toBeUndefined();
    }
  });

  it("are all closed but for signing in", () => {
    expect(all.filter(([, route]) => route.needs === "nothing").map(([name]) => name)).toEqual([
      "openSession",
    ]);
  });

  it("make URLs that carry any name and any query", () => {
    expect(urlOf(routes.run, { params: { id: "a/b c" } })).toBe("/api/runs/a%2Fb%20c");
    expect(urlOf(routes.listRuns, { query: { workflow: "a&b", limit: 5, text: undefined } })).toBe(
      "/api/runs?workflow=a%26b&limit=5",
    );
  });

  it("take what they should and refuse what they should not", () => {
    expect(routes.startRun.body?.parse({})).toEqual({ inputs: {}, draft: false });
    expect(routes.listRuns.query?.parse({ limit: "7" })).toMatchObject({ limit: 7 });
    expect(routes.journal.query?.parse({})).toEqual({ after: -1, limit: 200 });
    for (const bad of [
      { kind: "oauth2", clientId: "x" },
      { kind: "oauth2", grant: "client-credentials", issuer: "identity.example" },
      { kind: "oauth2", grant: "client-credentials", scopes: ["two words"] },
      { kind: "bearer", token: "x", endsOn: "next spring" },
      { kind: "bearer", token: "x", extra: 1 },
      { kind: "api-key", parts: [] },
      { kind: "api-key", parts: [{ place: "wall", name: "k", secret: "x" }] },
      { kind: "api-key", parts: [{ place: "header", name: "a b", secret: "x" }] },
    ]) {
      expect(routes.putCredential.body?.safeParse(bad).success, JSON.stringify(bad)).toBe(false);
    }
    for (const name of ["a", "greet-guest", "a1"])
      expect(routes.workflow.params?.safeParse({ name }).success).toBe(true);
    for (const name of ["", "A", "a_b", "-a", "a-", "x".repeat(65)])
      expect(routes.workflow.params?.safeParse({ name }).success).toBe(false);
  });
});

describe("the client", () => {
  let server: Server;
  let baseUrl: string;
  let answer: { status: number; type: string; body: string };
  let asked: { method: string; url: string; headers: Record<string, unknown>; body: string };
  beforeAll(async () => {
    server = createServer((request, response) => {
      let body = "";
      request.on("data", (piece) => (body += piece));
      request.on("end", () => {
        asked = { method: request.method ?? "", url: request.url ?? "", headers: request.headers, body };
        response.writeHead(answer.status, { "Content-Type": answer.type }).end(answer.body);
      });
    });
    await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
    baseUrl = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  });
  afterAll(() => server.close());

  it("sends the token and the body, and reads numbers of many digits as they are", async () => {
    answer = { status: 200, type: "application/json", body: '{"constants":{"n":12345678901234567890}}' };
    const { constants } = await createClient({ baseUrl, token: "ck_x" }).call(routes.putConstant, {
      params: { name: "n" },
      body: { value: 1 },
    });
    expect(String(constants["n"])).toBe("12345678901234567890");
    expect(asked).toMatchObject({
      method: "PUT",
      url: "/api/constants/n",
      body: '{"value":1}',
      headers: { authorization: "Bearer ck_x", "content-type": "application/json" },
    });
  });

  it("throws the problem that the service gives", async () => {
    answer = {
      status: 409,
      type: "application/problem+json",
      body: '{"type":"urn:x","title":"No","status":409,"detail":"Not now."}',
    };
    const error = await createClient({ baseUrl })
      .call(routes.status)
      .catch((fault: unknown) => fault);
    expect(error).toBeInstanceOf(ProblemError);
    expect((error as ProblemError).problem).toMatchObject({ status: 409, detail: "Not now." });
  });

  it("says when nobody answers, or somebody else", async () => {
    answer = { status: 404, type: "text/html", body: "<h1>Huts</h1>" };
    await expect(createClient({ baseUrl }).call(routes.status)).rejects.toThrow("is not Copper Kettle");
    await expect(createClient({ baseUrl: "http://127.0.0.1:9" }).call(routes.status)).rejects.toBeInstanceOf(
      Unreachable,
    );
  });

  it("gives nothing for an empty answer, and refuses one that is not as the contract says", async () => {
    answer = { status: 204, type: "application/json", body: "" };
    expect(
      await createClient({ baseUrl }).call(routes.removeConstant, { params: { name: "n" } }),
    ).toBeUndefined();
    answer = { status: 200, type: "application/json", body: '{"runs":5}' };
    await expect(createClient({ baseUrl }).call(routes.listRuns)).rejects.toThrow();
  });
});
