import { printJson, type Entry, type Transport } from "@copper-kettle/core";
import { pino } from "pino";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { CredentialStore } from "../store/credentials.js";
import { select } from "../store/database.js";
import { SettingStore } from "../store/settings.js";
import { TestStore } from "../store/store.test.kit.js";
import { TokenStore } from "../store/tokens.js";
import { UsableCredentials } from "../store/usable.js";
import { Notifier } from "./notifier.js";
import { Watcher } from "./watch.js";

const log = pino({ level: "silent" });
const nobody = { send: () => Promise.reject(new Error("Nobody is there.")) } as unknown as Transport;

describe("what is reported of runs", () => {
  let it_: TestStore;
  let count = 0;
  beforeEach(async () => {
    it_ = await TestStore.open();
    const settings = new SettingStore(it_.writer, it_.sealer);
    await settings.put("notifications", {
      webhook: { url: "http://127.0.0.1:9/", secret: "whsec_dHdlbHZlIGh1dHMgb24gYSBoaWxs" },
      mail: null,
      workflows: {},
    });
  });
  afterEach(() => it_.close());

  /** A service's part that notifies people, as of its start. */
  const started = async () => {
    const settings = new SettingStore(it_.writer, it_.sealer);
    await settings.loadAll();
    const usable = new UsableCredentials(it_.writer);
    const credentials = new CredentialStore(it_.writer, it_.sealer, usable);
    const tokens = new TokenStore(it_.writer, it_.sealer, credentials.masks, usable);
    const notifier = new Notifier(settings, nobody, log, "http://huts.example", () => 1_000);
    const { journals } = it_;
    const watcher = new Watcher({
      notifier,
      journals,
      outbox: journals.outbox,
      credentials,
      tokens,
      troubles: () => Promise.resolve([]),
      log,
      console: "http://huts.example",
    });
    const waiting = async (): Promise<number> => {
      await watcher.report();
      notifier.close();
      return notifier.view().waiting;
    };
    return { notifier, settings, watcher, waiting };
  };
  const ends = async (workflow: string, state: string, how: { version?: number } = {}): Promise<void> => {
    const journal = await it_.addRun(`run-${count++}`, { workflow, ...how });
    const entry = { type: "finished", at: 1, state, problems: 0 } as Entry;
    await journal.write([{ entry, open: printJson(entry as never), sealed: undefined }]);
  };
  const rows = async (): Promise<string[]> =>
    (await select<{ workflow: string; state: string }>(it_.store, "SELECT * FROM outbox ORDER BY id")).map(
      ({ workflow, state }) => `${workflow} ${state}`,
    );

  it("is durable with what it reports: after a kill it is sent, once", async () => {
    await ends("round", "succeeded");
    await ends("round", "failed");
    await ends("round", "failed");
    await ends("draft", "failed", { version: 0 });
    expect(await rows()).toEqual(["round failed", "round failed", "draft failed"]);
    expect(await (await started()).waiting()).toBe(1);
    expect(await rows()).toEqual([]);
    const again = await started();
    expect(again.notifier.told()).toEqual(["run round failed"]);
    expect(await again.waiting()).toBe(1);
  });

  it("is over with the next success, and reported again behind it, in the order in which it came", async () => {
    const now = await started();
    await ends("round", "failed");
    await ends("round", "succeeded");
    await ends("round", "failed");
    await ends("other", "succeeded"); // of which nothing was reported
    expect(await now.waiting()).toBe(2);
    await ends("round", "succeeded");
    await now.watcher.report();
    expect(now.notifier.told()).toEqual([]);
    await ends("round", "succeeded");
    expect(it_.journals.outbox.hasNews(`run-${count - 1}`)).toBe(false);
    expect(await rows()).toEqual([]);
  });

  it("stays where it cannot be stored, and is reported later, once", async () => {
    await ends("round", "failed");
    const now = await started();
    const putAll = now.settings.putAll.bind(now.settings);
    now.settings.putAll = () => Promise.reject(new Error("The disk is full."));
    expect(await now.waiting()).toBe(1);
    expect(await rows()).toEqual(["round failed"]);
    now.settings.putAll = putAll;
    expect(await now.waiting()).toBe(1);
    expect(await rows()).toEqual([]);
    expect(await (await started()).waiting()).toBe(1);
  });
});
