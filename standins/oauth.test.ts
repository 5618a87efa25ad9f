import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { documentOf } from "./document.test.kit.js";
import {
  boards,
  identity,
  ledger,
  ledgerOffice,
  staff,
  staffClient,
  staffResource,
  startStandIn,
  type StandIn,
} from "./index.js";

describe("the stand-ins that trust the authorization server", () => {
  const server = identity();
  let far: Record<"identity" | "staff" | "ledger" | "boards", StandIn>;
  beforeAll(async () => {
    const [one, two, three, four] = await Promise.all(
      [server, staff(server), ledger(server), boards(server)].map((definition) => startStandIn(definition)),
    );
    far = { identity: one, staff: two, ledger: three, boards: four } as typeof far;
  });
  afterAll(() => Promise.all(Object.values(far).map((one) => one.close())));

  const tokenAnswer = async (client: { id: string; secret: string }, form: Record<string, string>) => {
    const response = await fetch(`${far.identity.url}/token`, {
      method: "POST",
      headers: {
        "Content-Type": "application/x-www-form-urlencoded",
        Authorization: `Basic ${btoa(`${client.id}:${client.secret}`)}`,
      },
      body: new URLSearchParams(form).toString(),
    });
    return { status: response.status, body: (await response.json()) as Record<string, string> };
  };
  const ask = async (api: keyof typeof far, method: string, path: string, token: string, body?: unknown) => {
    const response = await fetch(far[api].url + path, {
      method,
      headers: { "Content-Type": "application/json", Authorization: `Bearer ${token}` },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    });
    const answer = (await response.json()) as Record<string, unknown>;
    const route = path.split("?")[0] as string;
    expect(documentOf(api)(method, route, response.status, answer), `${method} ${path}`).toEqual([]);
    return { status: response.status, body: answer, challenge: response.headers.get("www-authenticate") };
  };

  it("give and refuse tokens as the document says", async () => {
    const faults = documentOf("identity");
    const metadata = await fetch(`${far.identity.url}/.well-known/openid-configuration`);
    expect(faults("GET", "/.well-known/openid-configuration", 200, await metadata.json())).toEqual([]);
    for (const [client, form, status] of [
      [staffClient, { grant_type: "client_credentials", scope: "staff:read", audience: staffResource }, 200],
      [staffClient, { grant_type: "client_credentials", audience: "https://nowhere.example" }, 400],
      [{ ...staffClient, secret: "x" }, { grant_type: "client_credentials" }, 401],
      [
        ledgerOffice,
        { grant_type: "password", username: ledgerOffice.user, password: ledgerOffice.password },
        200,
      ],
      [ledgerOffice, { grant_type: "password", username: ledgerOffice.user, password: "x" }, 400],
      [staffClient, { grant_type: "password", username: "ines", password: "x" }, 400],
    ] as const) {
      const answer = await tokenAnswer(client, form as Record<string, string>);
      expect(answer.status, JSON.stringify(form)).toBe(status);
      expect(faults("POST", "/token", status, answer.body)).toEqual([]);
    }
  });

  it("staff: a season, its rota after a while, its shifts; a scope that is missing is named", async () => {
    const grant = { grant_type: "client_credentials", audience: staffResource };
    const reader = (await tokenAnswer(staffClient, { ...grant, scope: "staff:read" })).body[
      "access_token"
    ] as string;
    const token = (await tokenAnswer(staffClient, { ...grant, scope: "staff:read staff:write" })).body[
      "access_token"
    ] as string;
    expect((await ask("staff", "GET", "/people?hut=corrie", token)).body["items"]).toHaveLength(2);
    expect((await ask("staff", "GET", "/people/p-1", token)).status).toBe(200);
    expect((await ask("staff", "GET", "/people/p-99", token)).status).toBe(404);
    const refused = await ask("staff", "POST", "/seasons", reader, { hut: "corrie", name: "Summer" });
    expect([refused.status, refused.challenge]).toEqual([
      403,
      expect.stringContaining('scope="staff:write"'),
    ]);
    expect((await ask("staff", "POST", "/seasons", token, { hut: "corrie" })).status).toBe(422);
    const season = (await ask("staff", "POST", "/seasons", token, { hut: "corrie", name: "Summer" })).body[
      "id"
    ] as string;
    const shift = { person: "p-1", from: "2027-06-01" };
    expect((await ask("staff", "PUT", `/seasons/${season}/rota`, token)).status).toBe(404);
    expect((await ask("staff", "POST", `/seasons/${season}/shifts`, token, shift)).status).toBe(409);
    await fetch(`${far.staff.url}/_control/settings`, {
      method: "PUT",
      headers: { "Content-Type": "application/json" },
      body: JSON.stringify({ lagMillis: 0 }),
    });
    expect((await ask("staff", "PUT", `/seasons/${season}/rota`, token)).status).toBe(200);
    expect((await ask("staff", "POST", `/seasons/${season}/shifts`, token, {})).status).toBe(422);
    expect((await ask("staff", "POST", `/seasons/${season}/shifts`, token, shift)).status).toBe(201);
    expect((await ask("staff", "GET", "/seasons", token)).body["items"]).toHaveLength(1);
    const stranger = await ask("ledger", "GET", "/accounts", token);
    expect([stranger.status, stranger.challenge]).toEqual([401, expect.stringContaining("another audience")]);
    expect((await ask("boards", "GET", "/boards/eyrie/posts", token)).status).toBe(401);
  });

  it("ledger: a close that is done at the third look", async () => {
    const form = { grant_type: "password", username: ledgerOffice.user, password: ledgerOffice.password };
    const answer = await tokenAnswer(ledgerOffice, { ...form, scope: "ledger:read ledger:close" });
    const token = answer.body["access_token"] as string;
    expect((await ask("ledger", "GET", "/accounts", token)).status).toBe(200);
    expect((await ask("ledger", "POST", "/closes", token, { month: "March" })).status).toBe(422);
    const { id } = (await ask("ledger", "POST", "/closes", token, { month: "2027-02" })).body as {
      id: string;
    };
    const states = [];
    for (let look = 0; look < 3; look++)
      states.push((await ask("ledger", "GET", `/closes/${id}`, token)).body["state"]);
    expect(states).toEqual(["working", "working", "done"]);
    expect((await ask("ledger", "GET", "/closes/c-9", token)).status).toBe(404);
  });
});
