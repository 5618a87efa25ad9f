import { describe, expect, it } from "vitest";
import { TransportFailure } from "../http/message.js";
import { World } from "./fakes.test.kit.js";
import { CredentialWaits, type CredentialUse } from "./ports.js";

const file = (steps: string): string => `copper-kettle: 1\nname: test\nsteps:\n${steps}\n`;
const call = (more = "") =>
  file(
    `  - { step: a, request: "POST https://a.example/x", using: bot, retry: { times: 1, wait: 1s }${more} }`,
  );

/** A credential whose proofs come one after the other. */
function proofs(world: World, tokens: string[], heard: string[] = []): void {
  world.readCredential = async () => {
    const use: CredentialUse = {
      proof: { kind: "bearer", token: tokens[0] as string },
      accepted: () => void heard.push(`accepted ${tokens[0]}`),
      refused: async () => {
        heard.push(`refused ${tokens[0]}`);
        if (tokens.length === 1) return false;
        tokens.shift();
        return true;
      },
    };
    return use;
  };
}

describe("a call whose proof is refused", () => {
  const fresh = (accepted: string): World =>
    new World(call(), (request) => {
      const [, field] = request.headers.find(([name]) => name === "Authorization") ?? [];
      return field === `Bearer ${accepted}`
        ? { status: 200 }
        : { status: 401, body: { error: "invalid_token" } };
    });

  it("goes again at once with another one, and that attempt does not count", async () => {
    const world = fresh("token-number-2");
    const heard: string[] = [];
    proofs(world, ["token-number-1", "token-number-2"], heard);
    expect(await world.run()).toMatchObject({ state: "succeeded" });
    expect(heard).toEqual(["refused token-number-1", "accepted token-number-2"]);
    expect(world.waits).toEqual([]);
    const attempts = world.entries().filter((entry) => entry.type === "attempt");
    expect(attempts).toMatchObject([{ attempt: 1, renewed: true, wait: 0 }, { attempt: 2 }]);
    // Each send of a call that writes was announced before it went.
    expect(world.entries().filter((entry) => entry.type === "sending")).toHaveLength(2);
  });

  it("fails where the other one is refused as well: once is enough", async () => {
    const world = fresh("nothing");
    proofs(world, ["token-number-1", "token-number-2", "token-number-3"]);
    expect(await world.run()).toMatchObject({ state: "failed", error: { status: 401 } });
    expect(world.sent).toHaveLength(2);
  });

  it("still has all of its retries afterwards", async () => {
    const world = new World(call(), (_request, times) => ({ status: [401, 429, 200][times] ?? 200 }));
    proofs(world, ["token-number-1", "token-number-2"]);
    expect(await world.run()).toMatchObject({ state: "succeeded" });
    expect(world.sent).toHaveLength(3);
  });

  it("goes on from the journal as it would have: the extra attempt is not given twice", async () => {
    const world = fresh("nothing");
    proofs(world, ["token-number-1", "token-number-2", "token-number-3"]);
    let sends = 0;
    world.beforeSend = () => {
      if (++sends === 2) throw new Error("the power went");
    };
    await expect(world.run()).rejects.toThrow("the power went");
    world.rows = world.rows.filter(({ entry }) => entry.type !== "sending" || entry.attempt === 1);
    expect(await world.run()).toMatchObject({ state: "failed", error: { status: 401 } });
    expect(world.entries().filter((entry) => entry.type === "attempt")).toHaveLength(2);
  });
});

describe("a call that has no proof yet", () => {
  const loop = file(
    `  - step: all\n    each: "[1, 2, 3]"\n    parallel: 3\n    steps: [{ step: a, request: "GET https://a.example/\${item}", using: "bot" }]`,
  );

  it("rests until a person has signed in, without a time, and then goes on", async () => {
    const world = new World(call());
    world.readCredential = async () => {
      throw new CredentialWaits("bot", "Somebody has to sign in.", 3);
    };
    expect(await world.run()).toEqual({ state: "waiting" });
    expect(world.entries().at(-1)).toMatchObject({
      type: "rested",
      state: "waiting",
      path: "a",
      waits: [{ path: "a", kind: "credential", name: "bot", seen: 3, reason: "Somebody has to sign in." }],
    });
    expect(world.sent).toEqual([]);
    proofs(world, ["token-number-1"]);
    expect(await world.run()).toMatchObject({ state: "succeeded" });
  });

  it("in a loop lets the other items be done first", async () => {
    const world = new World(loop.replace("parallel: 3", "as: item\n    parallel: 3"));
    world.readCredential = async (_name, url) => {
      if (url.endsWith("/2")) throw new CredentialWaits("bot", "Somebody has to sign in.", 3);
      return {
        proof: { kind: "bearer", token: "token-number-1" },
        refused: async () => false,
        accepted: () => undefined,
      };
    };
    expect(await world.run()).toEqual({ state: "waiting" });
    expect(world.sent.map(({ url }) => url)).toEqual(["https://a.example/1", "https://a.example/3"]);
    expect(world.entries().at(-1)).toMatchObject({ type: "rested", waits: [{ path: "all[1]/a" }] });
    proofs(world, ["token-number-1"]);
    expect(await world.run()).toMatchObject({ state: "succeeded" });
    expect(world.sent).toHaveLength(3);
  });

  it("of several items are all waited for", async () => {
    const world = new World(loop.replace("parallel: 3", "as: item\n    parallel: 3"));
    world.readCredential = async (_name, url) => {
      throw new CredentialWaits(`bot-${url.at(-1) ?? ""}`, "Somebody has to sign in.", 0);
    };
    expect(await world.run()).toEqual({ state: "waiting" });
    expect(world.entries().at(-1)).toMatchObject({
      type: "rested",
      waits: [1, 2, 3].map((item) => ({
        path: `all[${item - 1}]/a`,
        kind: "credential",
        name: `bot-${item}`,
      })),
    });
  });

  it("is tried again where no token could be had, though it writes: nothing was sent", async () => {
    const world = new World(call());
    let asked = 0;
    const read = async (): Promise<CredentialUse> => {
      if (asked++ === 0) throw new TransportFailure("token", "No token could be had.", false);
      return {
        proof: { kind: "bearer", token: "token-number-1" },
        refused: async () => false,
        accepted: () => undefined,
      };
    };
    world.readCredential = read;
    expect(await world.run()).toMatchObject({ state: "succeeded" });
    expect(world.entries().find((entry) => entry.type === "attempt")).toMatchObject({
      failure: { kind: "token", sent: false },
    });
  });
});
