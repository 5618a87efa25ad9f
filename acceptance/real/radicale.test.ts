import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { freePort } from "../kit.js";
import { program, RealServer, RealWorld } from "./servers.kit.js";

const radicale = program("/usr/bin/radicale");

describe.skipIf(!radicale)("Radicale (CalDAV)", () => {
  let server: RealServer;
  let real: RealWorld;
  let url = "";
  beforeAll(async () => {
    const port = await freePort();
    url = `http://127.0.0.1:${port}`;
    server = await RealServer.make("radicale", { users: "marit:Sheep & 12 huts\n" });
    await server.write(
      "config",
      `[server]
hosts = 127.0.0.1:${port}
[auth]
type = htpasswd
htpasswd_filename = ${server.path("users")}
htpasswd_encryption = plain
delay = 0
[storage]
filesystem_folder = ${server.path("collections")}
[logging]
level = info
`,
    );
    await server.start(radicale as string, ["--config", server.path("config")], [port], { millis: 60_000 });
    real = await RealWorld.start([port]);
    await real.credential("marit", { kind: "basic", user: "marit", password: "Sheep & 12 huts" });
  });
  afterAll(async () => {
    await real.close();
    await server.close();
  });
  const event = (title: string): string =>
    JSON.stringify(
      [
        "BEGIN:VCALENDAR",
        "VERSION:2.0",
        "PRODID:-//Larkspur//tests//EN",
        "BEGIN:VEVENT",
        "UID:e1@huts.example",
        "DTSTAMP:20270301T080000Z",
        "DTSTART:20270301T080000Z",
        "DTEND:20270301T090000Z",
        `SUMMARY:${title}`,
        "END:VEVENT",
        "END:VCALENDAR",
        "",
      ].join("\r\n"),
    );

  it("makes a calendar, puts an event once, finds it, changes it by its ETag, and takes it away", async () => {
    const run = await real.steps(
      "calendar",
      `- { step: made, request: "MKCALENDAR ${url}/marit/cal/", using: marit, effect: repeatable, success: "status == 201 || status == 405 || status == 409" }
- step: put
  request: PUT ${url}/marit/cal/e1.ics
  using: marit
  headers: { If-None-Match: "*", Content-Type: "text/calendar; charset=utf-8" }
  body: { text: ${event("Räumen")} }
- step: report
  request: REPORT ${url}/marit/cal/
  using: marit
  headers: { Depth: "1" }
  body:
    xml:
      "C:calendar-query":
        "@xmlns:D": "DAV:"
        "@xmlns:C": "urn:ietf:params:xml:ns:caldav"
        "D:prop": { "D:getetag": "", "C:calendar-data": "" }
        "C:filter": { "C:comp-filter": { "@name": VCALENDAR } }
- { step: read, request: "GET ${url}/marit/cal/e1.ics", using: marit }
- { step: same, request: "GET ${url}/marit/cal/e1.ics", using: marit, if-none-match: steps.read }
- step: change
  request: PUT ${url}/marit/cal/e1.ics
  using: marit
  headers: { Content-Type: "text/calendar; charset=utf-8" }
  body: { text: ${event("Räumen und lüften")} }
  if-match: steps.read
- step: late
  request: PUT ${url}/marit/cal/e1.ics
  using: marit
  headers: { Content-Type: "text/calendar; charset=utf-8" }
  body: { text: ${event("Zu spät")} }
  if-match: steps.read
  catch:
    - { step: told, set: { code: "\${error.code}" } }
- { step: again, request: "GET ${url}/marit/cal/e1.ics", using: marit }
- { step: gone, request: "DELETE ${url}/marit/cal/e1.ics", using: marit, if-match: steps.again }
- { step: reply, respond: { body: { report: "\${steps.report.status}", found: "\${steps.report.text.contains('R\u00e4umen')}", text: "\${steps.again.text.contains('und l\u00fcften')}", code: "\${variables.code}", gone: "\${steps.gone.status}" } } }`,
    );
    expect(run.error).toBeNull();
    expect(run.response?.body).toEqual({
      report: 207,
      found: true,
      text: true,
      code: "changed-since",
      gone: 200,
    });
  });

  it("lists with PROPFIND, a reading call by its RFC", async () => {
    const run = await real.steps(
      "list",
      `- step: list
  request: PROPFIND ${url}/marit/
  using: marit
  headers: { Depth: "1" }
  body: { xml: { "D:propfind": { "@xmlns:D": "DAV:", "D:prop": { "D:resourcetype": "" } } } }
- { step: reply, respond: { body: "\${steps.list.status}" } }`,
    );
    expect(run.response?.body).toBe(207);
    const begun = (await real.world.entries(run.id)).find(({ type }) => type === "begun");
    expect((begun?.["data"] as { effect: string }).effect).toBe("reads");
  });

  it("takes a pasted command, sends it as it is, and says a wrong password in plain words", async () => {
    const pasted = `curl -X PROPFIND ${url}/marit/ -u 'marit:Sheep & 12 huts' -H 'Depth: 0'`;
    const tried = await real.world.ckettle(["try", "--pasted", "-"], pasted);
    expect(tried).toMatchObject({ code: 0 });
    expect(tried.out).toContain("multistatus");
    await real.credential("wrong", { kind: "basic", user: "marit", password: "wrong" });
    expect(await real.check("wrong", `${url}/marit/`)).toMatchObject({ ok: false, code: "unknown-key" });
  });
});
