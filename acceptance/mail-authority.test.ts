import { writeFile } from "node:fs/promises";
import type { AddressInfo } from "node:net";
import { join } from "node:path";
import { SMTPServer } from "smtp-server";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { Authority } from "./certificates.kit.js";
import { World } from "./kit.js";

describe("notifications by mail", () => {
  const authority = new Authority("Larkspur authority");
  const own = authority.make("mail.larkspur.example");
  let world: World;
  beforeAll(async () => {
    world = await World.start({ demo: false });
  });
  afterAll(() => world.close());

  it("sends mail to a server with an authority of its own", async () => {
    const mails: string[] = [];
    const server = new SMTPServer({
      secure: true,
      key: own.privateKey,
      cert: own.certificate,
      authOptional: true,
      onData(stream, _session, done) {
        let text = "";
        stream.on("data", (piece: Buffer) => (text += piece.toString()));
        stream.on("end", () => {
          mails.push(text);
          done();
        });
      },
    });
    server.on("error", () => undefined);
    await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
    const { port } = server.server.address() as AddressInfo;
    const pem = join(world.folder, "authority.pem");
    await writeFile(pem, authority.pem);
    const set = (...more: string[]) =>
      world.ckettle([
        "notifications",
        "set",
        "--smtp",
        `127.0.0.1:${port}`,
        "--tls",
        "from-the-start",
        "--to",
        "marit@huts.example",
        ...more,
      ]);
    await set();
    expect((await world.ckettle(["notifications", "try"])).out).toMatch(/mail: .*certificate/);
    await set("--authority", pem);
    expect((await world.ckettle(["notifications", "try"])).out).toContain("mail: delivered");
    expect(mails).toHaveLength(1);
    await new Promise<void>((resolve) => server.close(() => resolve()));
  });
});
