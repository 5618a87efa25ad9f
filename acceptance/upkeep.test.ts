import { routes } from "@copper-kettle/contract";
import { startStandIn, type StandIn } from "@copper-kettle/standins";
import { existsSync } from "node:fs";
import { appendFile, mkdtemp, readdir, rm, stat, writeFile } from "node:fs/promises";
import type { AddressInfo } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { SMTPServer } from "smtp-server";
import { Webhook } from "standardwebhooks";
import { afterAll, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { arrived, ckettle, faults, reset, until, World } from "./kit.js";

interface Mail {
  to: string[];
  text: string;
}

/** A mail server that takes everything, but for what it is told to refuse. */
async function startMail(): Promise<{
  port: number;
  mails: Mail[];
  refuse: { next: number };
  close(): Promise<void>;
}> {
  const mails: Mail[] = [];
  const refuse = { next: 0 };
  const server = new SMTPServer({
    authOptional: true,
    disabledCommands: ["STARTTLS"],
    onData(stream, session, done) {
      let text = "";
      stream.on("data", (piece: Buffer) => (text += piece.toString()));
      stream.on("end", () => {
        if (refuse.next > 0) {
          refuse.next--;
          return done(new Error("mailbox busy"));
        }
        mails.push({ to: session.envelope.rcptTo.map(({ address }) => address), text });
        done();
      });
    },
  });
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  const { port } = server.server.address() as AddressInfo;
  return { port, mails, refuse, close: () => new Promise((resolve) => server.close(() => resolve())) };
}

const failing =
  'copper-kettle: 1\nname: shaky\nsteps:\n  - { step: look, request: "GET ${constants.stays}/guests", using: stays-key, retry: { times: 0 } }\n';

describe("upkeep", () => {
  let world: World;
  let hook: StandIn;
  let mail: Awaited<ReturnType<typeof startMail>>;
  beforeAll(async () => {
    hook = await startStandIn({
      name: "office",
      reset: () => undefined,
      routes: (app) => void app.post("/told", (_request, response) => void response.status(204).end()),
    });
    mail = await startMail();
    world = await World.start({ env: { COPPER_KETTLE_ALLOW_ADDRESSES: "127.0.0.1" } });
    await world.publish(failing);
  });
  beforeEach(async () => {
    await reset(world.stays, world.boards, hook);
    mail.mails.length = 0;
  });
  afterAll(async () => {
    await world.close();
    await Promise.all([hook.close(), mail.close()]);
  });

  const told = async (): Promise<{ type: string; data: Record<string, string> }[]> =>
    (await arrived(hook)).map(({ body }) => body as never);

  describe("telling people", () => {
    it("is set by a command: the signing secret is shown once, and a try reaches both ways", async () => {
      const said = await world.ckettle([
        "notifications",
        "set",
        "--webhook",
        `${hook.url}/told`,
        "--smtp",
        `127.0.0.1:${mail.port}`,
        "--tls",
        "none",
        "--from",
        "kettle@huts.example",
        "--to",
        "marit@huts.example",
      ]);
      expect(said.code).toBe(0);
      const secret = /whsec_\S+[^.\s]/.exec(said.err)?.[0] as string;
      expect((await world.ckettle(["notifications", "try"])).out).toBe(
        "webhook: delivered\nmail: delivered\n",
      );
      const [delivery] = await arrived(hook);
      expect(delivery?.headers["content-type"]).toBe("application/cloudevents+json");
      expect(mail.mails[0]).toMatchObject({
        to: ["marit@huts.example"],
        text: expect.stringContaining("Subject: Copper Kettle can reach you") as string,
      });
      expect(secret).toMatch(/^whsec_/);
      expect((await world.ckettle(["notifications", "show"])).out).not.toContain("whsec");
      const signed = { ...delivery?.headers } as Record<string, string>;
      expect(() => new Webhook(secret).verify(JSON.stringify(delivery?.body), signed)).not.toThrow();
      expect(() =>
        new Webhook(secret).verify(JSON.stringify({ ...(delivery?.body as object), x: 1 }), signed),
      ).toThrow();
    });

    it("tells of a run that failed, once, and again only after one has succeeded", async () => {
      await faults(world.stays, [{ status: 500 }]);
      for (let count = 0; count < 3; count++) await world.settled((await world.run("shaky")).id);
      await until(async () => (await told()).length === 1 && mail.mails.length === 1, "somebody was told");
      const [event] = await told();
      expect(event).toMatchObject({
        specversion: "1.0",
        type: "copper-kettle.run.failed",
        subject: "shaky",
        data: { workflow: "shaky", state: "failed", message: expect.stringContaining("500") as string },
      });
      expect(event?.data["url"]).toContain(`/runs/${event?.data["run"]}`);
      await faults(world.stays, []);
      await world.settled((await world.run("shaky")).id);
      await faults(world.stays, [{ status: 500 }]);
      await world.settled((await world.run("shaky")).id);
      await until(async () => (await told()).length === 2, "somebody was told again");
    });

    it("delivers what could not be delivered later, also after a kill, under the same id", async () => {
      await faults(world.stays, []);
      await world.settled((await world.run("shaky")).id);
      await faults(hook, [{ times: 1, status: 503 }]);
      await faults(world.stays, [{ status: 500 }]);
      await world.settled((await world.run("shaky")).id);
      await until(async () => (await arrived(hook)).length === 1, "the first delivery was refused");
      await until(async () => (await world.client.call(routes.notifications)).waiting === 1, "it waits");
      const told = async () => (await world.client.call(routes.status)).undelivered;
      await until(async () => (await told()) !== null, "it could not be delivered");
      expect(await told()).toContain("1 notification is not delivered. The last try: ");
      expect((await world.client.call(routes.home)).undelivered).toBe(await told());
      await world.killAndServe();
      await until(async () => (await arrived(hook)).length === 2, "it was delivered again");
      const [first, second] = await arrived(hook);
      expect(second?.headers["webhook-id"]).toBe(first?.headers["webhook-id"]);
      await until(async () => (await world.client.call(routes.notifications)).waiting === 0, "nothing waits");
    });

    it("tells of an unsure run, and nothing of a rehearsal, a draft, or a workflow that is left out", async () => {
      await world.publish(
        'copper-kettle: 1\nname: writes\nsteps:\n  - { step: made, request: "POST ${constants.stays}/guests", using: stays-key, body: { json: { email: odd@huts.example } } }\n',
      );
      await faults(world.stays, [
        { method: "POST", drop: "after" },
        { method: "GET", status: 500 },
      ]);
      const { id } = await world.run("writes");
      expect((await world.settled(id)).state).toBe("unsure");
      await until(
        async () => (await told()).some(({ type }) => type === "copper-kettle.run.unsure"),
        "somebody was told",
      );
      await world.ckettle(["notifications", "set", "--off", "quiet"]);
      await world.publish(failing.replace("name: shaky", "name: quiet"));
      await world.settled((await world.run("quiet")).id);
      await world.client.call(routes.startRun, { params: { name: "quiet" }, body: { draft: true } });
      expect((await told()).filter(({ data }) => data["workflow"] === "quiet")).toEqual([]);
    });

    it("says what is wrong with a way that does not work", async () => {
      await world.ckettle(["notifications", "set", "--webhook", "http://127.0.0.1:9/none"]);
      const said = await world.ckettle(["notifications", "try"]);
      expect(said.code).toBe(1);
      expect(said.out).toMatch(/webhook: Nothing accepts connections/);
      await world.ckettle(["notifications", "set", "--webhook", "none", "--smtp", "none"]);
    });
  });

  describe("retention", () => {
    it("forgets ended runs beyond a number, with their bodies, and none that has not ended", async () => {
      await world.publish(
        'copper-kettle: 1\nname: many\nsteps:\n  - { step: big, set: { text: "${text.repeat(run.id, 6000)}" } }\n  - { step: r, respond: { body: "${size(variables.text)}" } }\n'.replace(
          "text.repeat(run.id, 6000)",
          "lists.range(6000).map(x, run.id).join('')",
        ),
      );
      await world.publish(
        "copper-kettle: 1\nname: many-asleep\nsteps:\n  - { step: nap, wait: { for: 1h } }\n",
      );
      const asleep = await world.run("many-asleep");
      await world.settled(asleep.id, ["waiting"]);
      for (let count = 0; count < 12; count++) await world.settled((await world.run("many")).id);
      const blobs = async () => (await readdir(join(world.folder, "blobs"), { recursive: true })).length;
      expect(await blobs()).toBeGreaterThanOrEqual(12);
      expect((await world.ckettle(["retention", "set", "--runs", "3", "--workflow", "many"])).out).toContain(
        "many: for 90 days, the last 3 runs",
      );
      await world.ckettle(["retention", "set", "--runs", "1", "--workflow", "many-asleep"]);
      const said = await world.ckettle(["retention", "prune"]);
      expect(said.out).toMatch(/^Deleted 9 runs and \d+ files/);
      const { runs } = await world.client.call(routes.listRuns, { query: { workflow: "many" } });
      expect(runs).toHaveLength(3);
      expect((await world.client.call(routes.run, { params: { id: asleep.id } })).state).toBe("waiting");
    });

    it("forgets by age", async () => {
      await world.ckettle(["retention", "set", "--days", "0.001", "--workflow", "shaky"]);
      const before = (await world.client.call(routes.listRuns, { query: { workflow: "shaky" } })).runs.length;
      expect(before).toBeGreaterThan(0);
      const { runs } = await world.client.call(routes.prune);
      expect(runs).toBeLessThanOrEqual(before);
    });
  });

  describe("a backup", () => {
    let copy = "";
    let other = "";
    beforeAll(async () => {
      copy = join(world.folder, "backups", "copy");
      other = join(await mkdtemp(join(tmpdir(), "copper-kettle-backup-")), "other");
    });
    afterAll(() => rm(join(other, ".."), { recursive: true, force: true }));

    it("taken while runs go on is whole; restored, its unfinished runs are parked until each is resumed", async () => {
      await world.publish(
        "copper-kettle: 1\nname: napping\nsteps:\n  - { step: nap, wait: { for: 40s } }\n  - { step: r, respond: { body: done } }\n",
      );
      const { id } = await world.run("napping");
      await world.settled(id, ["waiting"]);
      const going = Promise.all(
        Array.from({ length: 20 }, () => world.run("many").then((run) => world.settled(run.id))),
      );
      const said = await world.ckettle(["backup", "copy", "--with-key"]);
      expect(said).toMatchObject({ code: 0, out: `${copy}\n` });
      await going;
      expect((await stat(join(copy, "sealing.key"))).mode & 0o077).toBe(0);
      expect(await ckettle(["backup", "verify", copy], {})).toMatchObject({
        code: 0,
        out: expect.stringMatching(/is whole: \d+ files, \d+ workflows, .* with the sealing key/) as string,
      });
      expect(await world.ckettle(["backup", copy])).toMatchObject({
        code: 2,
        err: expect.stringContaining("is not empty") as string,
      });

      expect((await ckettle(["restore", copy, "--data", other], {})).code).toBe(0);
      const restored = await World.on(other, world);
      try {
        expect((await restored.client.call(routes.run, { params: { id } })).state).toBe("parked");
        const credential = await restored.client.call(routes.credential, { params: { name: "stays-key" } });
        expect(credential.name).toBe("stays-key");
        const { runs } = await restored.client.call(routes.listRuns, {
          query: { workflow: "many", limit: 200 },
        });
        for (const run of runs) {
          const journal = await restored.client.call(routes.journal, { params: { id: run.id } });
          expect(journal.entries.length).toBeGreaterThan(0);
        }
        await restored.client.call(routes.resumeRun, { params: { id } });
        expect(["queued", "running", "waiting", "succeeded"]).toContain(
          (await restored.client.call(routes.run, { params: { id } })).state,
        );
        await expect(restored.client.call(routes.resumeRun, { params: { id } })).rejects.toThrow(
          "not parked",
        );
      } finally {
        await restored.end("SIGTERM");
      }
    });

    it("has the sealing key only if that is asked for, and says so", async () => {
      const said = await world.ckettle(["backup", "keyless"]);
      expect(said.err).toContain("The sealing key is not in it.");
      const keyless = join(world.folder, "backups", "keyless");
      expect(existsSync(join(keyless, "sealing.key"))).toBe(false);
      const target = join(other, "..", "keyless");
      const restored = await ckettle(["restore", keyless, "--data", target], {});
      expect(restored).toMatchObject({
        code: 0,
        err: expect.stringContaining("put sealing.key into") as string,
      });
      const refused = await ckettle(["serve", "--data", target, "--port", "0"], {});
      expect(refused).toMatchObject({ code: 2, err: expect.stringContaining("sealing key") as string });
    });

    it.each([
      ["a body was changed", "holds other bytes", (file: string) => writeFile(file, "x")],
      ["a file is missing", "is missing", (file: string) => rm(file)],
      ["a file was added", "was added", (file: string) => writeFile(`${file}.more`, "x")],
      [
        "its list was changed",
        "SHA256SUMS",
        (file: string) => appendFile(join(file, "../SHA256SUMS"), "x\n"),
      ],
    ])("that is not whole is neither verified nor restored: %s", async (what, said, spoil) => {
      const name = `spoilt ${what}`;
      await world.ckettle(["backup", name]);
      const folder = join(world.folder, "backups", name);
      await spoil(join(folder, "copper-kettle.sqlite"));
      for (const command of [
        ["backup", "verify", folder],
        ["restore", folder, "--data", join(other, "..", name)],
      ])
        expect(await ckettle(command, {})).toMatchObject({
          code: 2,
          err: expect.stringContaining(said) as string,
        });
      expect(existsSync(join(other, "..", name))).toBe(false);
    });

    it("is put into an empty folder only, and must be one", async () => {
      expect(await ckettle(["restore", copy, "--data", other], {})).toMatchObject({
        code: 2,
        err: expect.stringContaining("is not empty") as string,
      });
      expect(await ckettle(["restore", world.folder, "--data", join(other, "new")], {})).toMatchObject({
        code: 2,
        err: expect.stringContaining("is not a backup") as string,
      });
      expect(existsSync(join(other, "new"))).toBe(false);
    });
  });
});
