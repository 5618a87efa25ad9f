import { execFileSync } from "node:child_process";
import { createHash } from "node:crypto";
import { readFile } from "node:fs/promises";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { Authority } from "../certificates.kit.js";
import { freePort } from "../kit.js";
import { program, RealServer, RealWorld } from "./servers.kit.js";

const apache = program("/usr/sbin/apache2");
const htpasswd = program("/usr/bin/htpasswd");
const password = "Zinn & Kümmel 7";
const modules = [
  ...["mpm_event", "authn_core", "authn_file", "authz_core", "authz_user", "auth_basic", "auth_digest"],
  ...["auth_form", "request", "session", "session_cookie", "alias", "dir", "mime", "ssl", "brotli", "filter"],
  ...["headers", "setenvif", "rewrite"],
];

describe.skipIf(!apache || !htpasswd)("Apache", () => {
  const authority = new Authority("Larkspur authority");
  const office = authority.make("office.larkspur.example");
  let server: RealServer;
  let real: RealWorld;
  let [plain, tls, closed] = [0, 0, 0];
  beforeAll(async () => {
    [plain, tls, closed] = [await freePort(), await freePort(), await freePort()];
    const { certificate, privateKey } = authority.make("localhost");
    server = await RealServer.make("apache", {
      "cert.pem": certificate,
      "key.pem": privateKey,
      "ca.pem": authority.pem,
      "www/a.json": JSON.stringify({ text: "Brot ".repeat(2_000) }),
      "www/in/a.json": '{ "in": true }',
      "www/digest/a.json": '{ "digest": true }',
      "www/office/a.json": '{ "office": true }',
      "www/new/a.json": '{ "new": true }',
      "www/login.html": "Please log in.",
      "apache.conf": `ServerRoot "/usr/lib/apache2"
${modules.map((name) => `LoadModule ${name}_module modules/mod_${name}.so`).join("\n")}
ServerName localhost
Listen 127.0.0.1:${plain}
Listen 127.0.0.1:${tls}
Listen 127.0.0.1:${closed}
PidFile FOLDER/apache.pid
DefaultRuntimeDir FOLDER
Mutex file:FOLDER default
ErrorLog FOLDER/error.log
LogFormat "%m %U %>s %{Authorization}i" short
CustomLog FOLDER/access.log short
DocumentRoot FOLDER/www
TypesConfig /dev/null
AddType application/json .json
<Directory FOLDER/www>
  Require all granted
</Directory>
<Location /digest>
  AuthType Digest
  AuthName "the yard"
  AuthDigestProvider file
  AuthUserFile FOLDER/digest.txt
  Require valid-user
</Location>
<Location /in>
  AuthType form
  AuthFormProvider file
  AuthUserFile FOLDER/users.txt
  AuthName "the yard"
  Session On
  SessionCookieName sid path=/;httponly
  Require valid-user
</Location>
<Location /log-in>
  SetHandler form-login-handler
  AuthType form
  AuthFormProvider file
  AuthUserFile FOLDER/users.txt
  AuthName "the yard"
  AuthFormLoginRequiredLocation /login.html
  AuthFormLoginSuccessLocation /in/a.json
  Session On
  SessionMaxAge 2
  SessionCookieName sid path=/;httponly
</Location>
RedirectMatch 307 "^/old/(.*)" "/new/$1"
RedirectMatch 303 "^/see/(.*)" "/new/$1"
<VirtualHost *:${tls}>
  SSLEngine on
  SSLCertificateFile FOLDER/cert.pem
  SSLCertificateKeyFile FOLDER/key.pem
  AddOutputFilterByType BROTLI_COMPRESS application/json
</VirtualHost>
<VirtualHost *:${closed}>
  SSLEngine on
  SSLCertificateFile FOLDER/cert.pem
  SSLCertificateKeyFile FOLDER/key.pem
  SSLCACertificateFile FOLDER/ca.pem
  SSLVerifyClient require
</VirtualHost>
`,
    });
    const folder = server.folder;
    const conf = await readFile(server.path("apache.conf"), "utf8");
    await server.write("apache.conf", conf.replaceAll("FOLDER", folder));
    execFileSync(htpasswd as string, ["-cbB", server.path("users.txt"), "marit", password]);
    const digest = createHash("md5").update(`marit:the yard:${password}`).digest("hex");
    await server.write("digest.txt", `marit:the yard:${digest}\n`);
    execFileSync("chmod", ["-R", "a+rwX", folder]);
    await server.start(
      apache as string,
      ["-d", "/usr/lib/apache2", "-f", server.path("apache.conf"), "-DFOREGROUND"],
      [plain, tls, closed],
    );
    real = await RealWorld.start([plain, tls, closed]);
    for (const port of [tls, closed]) await real.network(`localhost:${port}`, { authorities: authority.pem });
  });
  afterAll(async () => {
    await real.close();
    await server.close();
  });
  const log = async (): Promise<string[]> =>
    (await readFile(server.path("access.log"), "utf8")).trim().split("\n");
  const get = (path: string, more = ""): string =>
    `- { step: get, request: "GET http://localhost:${plain}${path}"${more} }\n- { step: reply, respond: { body: "\${steps.get.body}" } }`;

  it("takes Digest: one challenge for many calls, and a wrong password said in plain words", async () => {
    await real.credential("yard", { kind: "digest", user: "marit", password });
    const run = await real.steps(
      "digest",
      `- step: all\n  each: lists.range(20)\n  steps:\n    - { step: get, request: "GET http://localhost:${plain}/digest/a.json", using: yard }`,
    );
    expect(run.error).toBeNull();
    const lines = (await log()).filter((line) => line.includes("/digest/"));
    expect(lines.filter((line) => line.includes(" 200 "))).toHaveLength(20);
    expect(lines.length).toBeLessThanOrEqual(22);
    await real.credential("yard", { kind: "digest", user: "marit", password: "wrong" });
    expect(await real.check("yard", `http://localhost:${plain}/digest/a.json`)).toMatchObject({
      ok: false,
      sentence: expect.stringContaining("does not accept this user and password") as string,
    });
  });

  it("logs in by a form, carries the cookie on, and logs in again when the session has ended", async () => {
    await real.credential("form", {
      kind: "login",
      hosts: [`localhost:${plain}`],
      secrets: { password },
      scheme: {
        request: `POST http://localhost:${plain}/log-in`,
        body: { form: { httpd_username: "marit", httpd_password: "${secret.password}" } },
        success: "status == 302 && headers.location.endsWith('/in/a.json')",
        cookie: "sid",
      },
    });
    const step = get("/in/a.json", ", using: form");
    expect((await real.steps("form", step)).response?.body).toEqual({ in: true });
    const logins = async () => (await log()).filter((line) => line.startsWith("POST /log-in 302")).length;
    expect(await logins()).toBe(1);
    await real.world.killAndServe();
    expect((await real.steps("form", step)).error).toBeNull();
    await real.credential("form-wrong", {
      kind: "login",
      hosts: [`localhost:${plain}`],
      secrets: { password: "wrong" },
      scheme: {
        request: `POST http://localhost:${plain}/log-in`,
        body: { form: { httpd_username: "marit", httpd_password: "${secret.password}" } },
        success: "status == 302 && headers.location.endsWith('/in/a.json')",
        cookie: "sid",
      },
    });
    expect(await real.check("form-wrong")).toMatchObject({ ok: false });
  });

  it("wants a client certificate of its own authority, and reads it", async () => {
    await real.credential("office", { kind: "mutual-tls", ...office });
    const step = (more: string): string =>
      `- { step: get, request: "GET https://localhost:${closed}/office/a.json"${more}, retry: { times: 1 } }`;
    const without = await real.steps("office", step(""));
    expect(without.state).toBe("failed");
    expect((await real.steps("office", step(", using: office"))).error).toBeNull();
    const stranger = new Authority("Somebody else").make("office.larkspur.example");
    await real.credential("office", { kind: "mutual-tls", ...stranger });
    expect((await real.steps("office", step(", using: office"))).state).toBe("failed");
  });

  it("sends what it has packed with brotli", async () => {
    const run = await real.steps(
      "brotli",
      `- { step: get, request: "GET https://localhost:${tls}/a.json" }\n- { step: reply, respond: { body: { coding: "\${steps.get.headers['content-encoding']}", length: "\${size(steps.get.body.text)}" } } }`,
    );
    expect(run.response?.body).toEqual({ coding: "br", length: 10_000 });
  });

  it("redirects: a reading call follows, a writing one only where it may", async () => {
    expect((await real.steps("moved", get("/old/a.json"))).response?.body).toEqual({ new: true });
    const post = (path: string, more = ""): string =>
      `- { step: put, request: "POST http://localhost:${plain}${path}", body: { json: {} }${more} }`;
    expect((await real.steps("moved", post("/see/a.json"))).error).toBeNull();
    expect((await log()).slice(-2).map((line) => line.split(" ").slice(0, 3).join(" "))).toEqual([
      "POST /see/a.json 303",
      "GET /new/a.json 200",
    ]);
    expect((await real.steps("moved", post("/old/a.json"))).error).toMatchObject({ code: "redirected" });
    await real.steps("moved", post("/old/a.json", ", redirects: resend"));
    expect((await log()).at(-1)).toMatch(/^POST \/new\/a\.json/);
  });
});
