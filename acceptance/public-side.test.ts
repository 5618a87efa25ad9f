import { routes } from "@copper-kettle/contract";
import { identity, staffClient, staffResource, startStandIn, type StandIn } from "@copper-kettle/standins";
import { generateKeyPairSync } from "node:crypto";
import { SignJWT, UnsecuredJWT } from "jose";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { World } from "./kit.js";

describe("a webhook that asks for a token of an issuer", () => {
  let world: World;
  let server: StandIn;
  beforeAll(async () => {
    server = await startStandIn(identity());
    world = await World.start({ env: { COPPER_KETTLE_ALLOW_ADDRESSES: "127.0.0.1" } });
    const hook = (path: string, more = "") =>
      `  ${path}: { webhook: { path: ${path}, verify: { jwt: { issuer: "${server.url}", audience: "${staffResource}"${more} } } } }\n`;
    await world.publish(`copper-kettle: 1
name: asked
triggers:
${hook("asked")}${hook("other", ", algorithms: [EdDSA]")}  nobody: { webhook: { path: nobody, verify: { jwt: { issuer: "${server.url}/none", audience: a } } } }
steps: [{ step: one, set: { a: 1 } }]
`);
  });
  afterAll(async () => {
    await world.close();
    await server.close();
  });

  const token = async (): Promise<string> => {
    const answer = await fetch(`${server.url}/token`, {
      method: "POST",
      headers: {
        Authorization: `Basic ${Buffer.from(`${staffClient.id}:${staffClient.secret}`).toString("base64")}`,
        "Content-Type": "application/x-www-form-urlencoded",
      },
      body: new URLSearchParams({
        grant_type: "client_credentials",
        audience: staffResource,
        scope: "staff:read",
      }).toString(),
    });
    return ((await answer.json()) as { access_token: string }).access_token;
  };
  const send = async (path: string, authorization?: string) => {
    const { status } = await fetch(`${world.url}/webhooks/${path}`, {
      method: "POST",
      ...(authorization === undefined ? {} : { headers: { Authorization: authorization } }),
    });
    const { events } = await world.client.call(routes.listEvents, {
      params: { name: "asked" },
      query: { limit: 1 },
    });
    return [status, events[0]?.reason];
  };

  it("takes one that fits, and tells only us what is wrong with any other", async () => {
    const good = await token();
    expect(good.split(".")).toHaveLength(3);
    expect(await send("asked", `Bearer ${good}`)).toEqual([202, null]);
    const { privateKey } = generateKeyPairSync("rsa", { modulusLength: 2048 });
    const forged = (claims: object) =>
      new SignJWT({ ...claims })
        .setProtectedHeader({ alg: "RS256", kid: "none" })
        .setIssuer(server.url)
        .setAudience(staffResource)
        .sign(privateKey);
    const hmac = await new SignJWT({ exp: 4_000_000_000 })
      .setProtectedHeader({ alg: "HS256" })
      .setIssuer(server.url)
      .setAudience(staffResource)
      .sign(Buffer.from(staffClient.secret.repeat(4)));
    const unsigned = new UnsecuredJWT({ exp: 4_000_000_000, iss: server.url, aud: staffResource }).encode();
    const [head, body, signature] = good.split(".") as [string, string, string];
    const changed = Buffer.from(
      JSON.stringify({
        ...(JSON.parse(Buffer.from(body, "base64url").toString()) as object),
        exp: 4_000_000_000,
      }),
    ).toString("base64url");
    for (const [path, shown, reason] of [
      ["asked", undefined, "It shows no token"],
      ["asked", "Bearer x.y.z", "cannot be verified"],
      ["asked", `Bearer ${await forged({ exp: 4_000_000_000 })}`, "No key of"],
      ["asked", `Bearer ${hmac}`, "another algorithm"],
      ["asked", `Bearer ${unsigned}`, ""],
      ["asked", `Bearer ${head}.${changed}.${signature}`, "does not fit"],
      ["other", `Bearer ${good}`, "another algorithm than EdDSA"],
      ["nobody", `Bearer ${good}`, "cannot be verified"],
    ] as const) {
      const [status, said] = await send(path, shown);
      expect([status, said]).toEqual([401, expect.stringContaining(reason)]);
    }
  });
});

describe("the address of a client behind proxies", () => {
  // Counts begin anew each minute: whichever way one falls into the calls, some of so many are refused.
  const wrongTokens = async (
    world: World,
    headers: (at: number) => Record<string, string>,
    count: number,
  ) => {
    const statuses = [];
    for (let at = 0; at < count; at++) {
      const { status } = await fetch(`${world.url}/api/runs`, {
        headers: { Authorization: `Bearer wrong-${at}`, ...headers(at) },
      });
      statuses.push(status);
    }
    return statuses.filter((status) => status === 429).length;
  };

  it("is what a proxy says that is trusted, by either field; what a client itself says does not count", async () => {
    const trusting = await World.start({ env: { COPPER_KETTLE_TRUSTED_PROXIES: "127.0.0.1/32" } });
    // Each from another address, in front of which the client may claim what it likes.
    const each = (at: number) => `203.0.113.1, 198.51.${Math.floor(at / 200)}.${at % 200}`;
    expect(await wrongTokens(trusting, (at) => ({ "X-Forwarded-For": each(at) }), 130)).toBe(0);
    const forwarded = (at: number) =>
      each(at)
        .split(", ")
        .map((one) => `for="${one}:47011"`)
        .join(", ");
    expect(await wrongTokens(trusting, (at) => ({ Forwarded: forwarded(at + 200) }), 130)).toBe(0);
    const same = () => ({ Forwarded: 'for="[2001:db8::17]:4711";proto=https' });
    expect(await wrongTokens(trusting, same, 230)).toBeGreaterThan(20);
    // What a client claims in the field that its proxy does not set is passed on, and does not count.
    const claimed = (at: number) => ({ "X-Forwarded-For": "192.0.2.7", Forwarded: forwarded(at + 400) });
    expect(await wrongTokens(trusting, claimed, 230)).toBeGreaterThan(20);
    await trusting.close();
    const standard = await World.start({
      env: {
        COPPER_KETTLE_TRUSTED_PROXIES: "127.0.0.1/32",
        COPPER_KETTLE_FORWARDED_FIELD: "forwarded",
      },
    });
    const other = (at: number) => ({ "X-Forwarded-For": each(at), Forwarded: "for=192.0.2.8" });
    expect(await wrongTokens(standard, other, 230)).toBeGreaterThan(20);
    expect(await wrongTokens(standard, (at) => ({ "X-Forwarded-For": each(at) }), 230)).toBeGreaterThan(20);
    await standard.close();
    const plain = await World.start();
    expect(await wrongTokens(plain, (at) => ({ "X-Forwarded-For": each(at) }), 230)).toBeGreaterThan(20);
    await plain.close();
  });
});
