import { execFileSync } from "node:child_process";
import { chmod, chown, readdir, readFile } from "node:fs/promises";
import { writeFile } from "node:fs/promises";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { Authority } from "../certificates.kit.js";
import { until } from "../kit.js";
import { freePort } from "../kit.js";
import { program, RealServer, RealWorld } from "./servers.kit.js";

const postfix = program("/usr/sbin/postfix");
/** Postfix begins as root, to give up its rights itself. */
const canStart = postfix !== undefined && process.getuid?.() === 0;

describe.skipIf(!canStart)("Postfix", () => {
  const authority = new Authority("Larkspur authority");
  let server: RealServer;
  let real: RealWorld;
  let port = 0;
  beforeAll(async () => {
    port = await freePort();
    const { certificate, privateKey } = authority.make("localhost");
    server = await RealServer.make("postfix", {
      "cert.pem": certificate,
      "key.pem": privateKey,
      "mail/.keep": "",
      "data/.keep": "",
    });
    const ids = (name: string) => ["-u", "-g"].map((which) => Number(execFileSync("id", [which, name])));
    const [uid = 0, gid = 0] = ids("postfix");
    await server.write(
      "conf/main.cf",
      `compatibility_level = 3.6
queue_directory = ${server.path("queue")}
data_directory = ${server.path("data")}
maillog_file = ${server.path("log")}
maillog_file_prefixes = ${server.folder}
inet_interfaces = 127.0.0.1
inet_protocols = ipv4
myhostname = mail.huts.example
mydestination =
local_recipient_maps =
virtual_mailbox_domains = huts.example
virtual_mailbox_base = ${server.path("mail")}
virtual_mailbox_maps = static:all/
virtual_uid_maps = static:${uid}
virtual_gid_maps = static:${gid}
virtual_minimum_uid = 1
smtpd_tls_cert_file = ${server.path("cert.pem")}
smtpd_tls_key_file = ${server.path("key.pem")}
smtpd_tls_security_level = encrypt
smtpd_tls_received_header = yes
smtpd_relay_restrictions = reject_unauth_destination
alias_maps =
alias_database =
`,
    );
    const service = (line: string): string => `${line}\n`;
    await server.write(
      "conf/master.cf",
      service(`127.0.0.1:${port} inet n - n - - smtpd`) +
        service("cleanup unix n - n - 0 cleanup") +
        service("qmgr unix n - n 300 1 qmgr") +
        service("rewrite unix - - n - - trivial-rewrite") +
        ["bounce", "defer", "trace"].map((name) => service(`${name} unix - - n - 0 bounce`)).join("") +
        service("virtual unix - n n - - virtual") +
        service("error unix - - n - - error") +
        service("retry unix - - n - - error") +
        service("proxymap unix - - n - - proxymap") +
        service("anvil unix - - n - 1 anvil") +
        service("tlsmgr unix - - n 1000? 1 tlsmgr") +
        service("postlog unix-dgram n - n - 1 postlogd"),
    );
    await chmod(server.folder, 0o755);
    for (const name of ["mail", "data"]) await chown(server.path(name), uid, gid);
    execFileSync("mkdir", ["-p", server.path("queue")]);
    await server.start(postfix as string, ["-c", server.path("conf"), "start-fg"], [port], {
      millis: 60_000,
    });
    real = await RealWorld.start([port]);
  });
  afterAll(async () => {
    await real.close();
    // Its master stands by itself.
    execFileSync(postfix as string, ["-c", server.path("conf"), "stop"], { stdio: "ignore" });
    await server.close();
  });

  it("takes a notification over TLS with an authority of its own, and not without it", async () => {
    const pem = join(real.world.folder, "ca.pem");
    await writeFile(pem, authority.pem);
    const set = (...more: string[]) =>
      real.world.ckettle([
        ...["notifications", "set", "--smtp", `localhost:${port}`, "--from", "kettle@huts.example"],
        ...["--to", "marit@huts.example", ...more],
      ]);
    await set();
    const refused = await real.world.ckettle(["notifications", "try"]);
    expect(refused.out).toMatch(/mail: .*certificate/);
    await set("--authority", pem);
    const tried = await real.world.ckettle(["notifications", "try"]);
    expect(tried.out).toContain("mail: delivered");
    const box = server.path("mail/all/new");
    await until(async () => (await readdir(box).catch(() => [])).length > 0, "the mail lies in its box");
    const [mail = ""] = await readdir(box);
    const text = await readFile(join(box, mail), "utf8");
    expect(text).toContain("From: kettle@huts.example");
    expect(text).toMatch(/Received: from .*\n.*\(using TLSv1\.3/);
    expect(await readFile(server.path("log"), "utf8")).toContain("status=sent (delivered to maildir)");
  });
});
