import type { OAuthCredential, Token } from "@copper-kettle/core";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { TokenKeeper, type KeeperParts } from "../oauth/keeper.js";
import { LockKeeper } from "../runs/locks.js";
import { execute } from "./database.js";
import { TextRow } from "./models.js";
import { TestStore } from "./store.test.kit.js";
import { TokenStore } from "./tokens.js";
import { UsableCredentials } from "./usable.js";
import { WorkflowStore } from "./workflows.js";

const file = (note: string): string =>
  `copper-kettle: 1\nname: round\nsteps:\n  - { step: a, note: ${note} }\n`;

describe("what comes between a look and what follows from it", () => {
  let it_: TestStore;
  beforeEach(async () => void (it_ = await TestStore.open()));
  afterEach(() => it_.close());

  it("a version that is published while a start looks which one there is: the next start gets the new one", async () => {
    const workflows = new WorkflowStore(
      it_.writer,
      { changes: 0, operations: () => undefined } as never,
      { changes: 0 } as never,
    );
    const publish = async (note: string): Promise<unknown> => {
      await workflows.push("round", file(note));
      return workflows.publish("round", { kind: "token", id: "ines" });
    };
    await publish("one");
    const version = workflows.version.bind(workflows);
    workflows.version = async (...which) => {
      const found = await version(...which);
      workflows.version = version;
      await publish("two");
      return found;
    };
    expect((await workflows.startable("round"))?.published?.version).toBe(1);
    expect((await workflows.startable("round"))?.published).toMatchObject({
      version: 2,
      principal: { kind: "token", id: "ines" },
    });
  });

  it("a lock whose run has ended is nobody's after a restart", async () => {
    const run =
      "INSERT INTO runs (id, workflow, version, text, origin, state, trigger, created_at, ended_at, unsure) VALUES (?, 'w', 1, 't', ?, 'x', '{}', 0, ?, '[]')";
    await TextRow.create({ digest: "t", text: "t" });
    await execute(it_.store.connection, run, ["ended", "ended", 5]);
    await execute(it_.store.connection, run, ["going", "going", null]);
    for (const one of ["ended", "going"])
      await execute(it_.store.connection, "INSERT INTO locks (name, run, path, at) VALUES (?, ?, 'p', 0)", [
        `of ${one}`,
        one,
      ]);
    const locks = new LockKeeper((name) => name);
    await locks.loadAll(it_.journals.runs);
    expect(locks.all().map(({ name }) => name)).toEqual(["of going"]);
  });

  it("a token that comes after its credential was removed is not kept", async () => {
    const masks = { add: () => true, remove: () => undefined } as never;
    const tokens = new TokenStore(it_.writer, it_.sealer, masks, new UsableCredentials(it_.writer));
    let give: (token: Token) => void = () => undefined;
    const parts = {
      tokens,
      requests: { ask: () => new Promise<Token>((resolve) => (give = resolve)) },
      credentials: { get: () => undefined, noteFault: async () => undefined },
      activity: { note: async () => undefined },
      log: { info: () => undefined, warn: () => undefined },
      now: () => 0,
    } as unknown as KeeperParts;
    const credential = {
      kind: "oauth2",
      grant: "client-credentials",
      clientId: "desk",
      scopes: [],
    } as unknown as OAuthCredential;
    const asked = new TokenKeeper(parts).token("k", credential);
    await tokens.forget("k");
    give({ accessToken: "late-token-123", scopes: [], obtainedAt: 0 });
    await expect(asked).rejects.toThrow("was deleted");
    expect(tokens.current("k")).toBeUndefined();
  });
});
