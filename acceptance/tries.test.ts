import { ProblemError, routes, type BodyOf, type TryResult } from "@copper-kettle/contract";
import { printJson } from "@copper-kettle/core";
import { staysKey } from "@copper-kettle/standins";
import { writeFile } from "node:fs/promises";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { arrived, reset, World } from "./kit.js";
import { oddServer, pixel, type OddServer } from "./odd-server.kit.js";

describe("trying calls", () => {
  let world: World;
  let odd: OddServer;
  const call = (body: BodyOf<typeof routes.tryOperation>): Promise<TryResult> =>
    world.client.call(routes.tryOperation, { body });
  const refused = async (body: BodyOf<typeof routes.tryOperation>) => {
    const error = await call(body).then(
      () => undefined,
      (thrown: unknown) => thrown,
    );
    expect(error).toBeInstanceOf(ProblemError);
    return (error as ProblemError).problem;
  };
  beforeAll(async () => {
    odd = await oddServer();
    world = await World.start({ env: { COPPER_KETTLE_ALLOW_ADDRESSES: "127.0.0.1" } });
    await world.describeStays();
  });
  afterAll(async () => {
    await world.close();
    await odd.close();
  });

  it("an operation: the response, what was sent, and the command that does the same, with no secret in any", async () => {
    const result = await call({ operation: "stays.searchGuests", parameters: { email: "odd@huts.example" } });
    expect(result).toMatchObject({
      status: 200,
      body: { items: [{ id: "g-1" }] },
      failure: null,
      explanation: null,
      drift: [],
      sent: { method: "GET", url: `${world.stays.url}/guests?email=odd%40huts.example`, body: null },
    });
    expect(result.sent.headers).toContainEqual(["Authorization", "Bearer •••"]);
    expect(result.curl).toContain('-H "Authorization: Bearer $SECRET"');
    expect(JSON.stringify(result)).not.toContain(staysKey);
  });

  it.each<[string, Partial<TryResult>]>([
    [
      "/xml",
      {
        body: { huts: { hut: { "@id": "1", "#text": "Corrie" } } },
        text: '<huts><hut id="1">Corrie</hut></huts>',
      },
    ],
    ["/csv", { body: [{ hut: "corrie", beds: "12" }], text: "hut,beds\ncorrie,12\n" }],
    [
      "/picture.png",
      { body: { mediaType: "image/png", size: pixel.length, base64: pixel.toString("base64") } },
    ],
    ["/latin", { body: "Hü" }],
    ["/gzip", { body: { packed: true }, size: 15 }],
    ["/deflate", { body: { packed: "raw" } }],
    ["/cookies", { cookies: { desk: "corrie", lang: "en" } }],
  ])("%s is shown by its media type", async (path, expected) => {
    expect(await call({ url: odd.url + path })).toMatchObject({ status: 200, ...expected });
  });

  it("numbers keep their digits", async () => {
    expect(printJson((await call({ url: `${odd.url}/guest` })).body)).toContain("12345678901234567890");
  });

  it("redirects are followed and shown", async () => {
    expect(await call({ url: `${odd.url}/moved` })).toMatchObject({
      status: 200,
      url: `${odd.url}/guest`,
      redirects: [`${odd.url}/moved`],
    });
  });

  it.each<[string, string, RegExp]>([
    ["GET", "/html", /HTML page instead of JSON.*\/html\.json/],
    ["GET", "/broken", /its JSON breaks off at its end/],
    ["POST", "/wants-form", /Content-Type was application\/json/],
    ["POST", "/field", /It names "beds"/],
    ["GET", "/only-post", /does not accept GET\. It takes POST/],
    ["GET", "/nothing", /what it names, does not exist/],
  ])("%s %s is explained", async (method, path, explanation) => {
    const body = method === "POST" ? { body: { json: {} } } : {};
    const result = await call({ method, url: odd.url + path, ...body });
    expect(result.explanation).toMatch(explanation);
  });

  it.each<[string, () => string, string, RegExp]>([
    ["refused", () => "http://127.0.0.1:1/", "connect", /port right/],
    ["not known", () => "http://nowhere.invalid/", "dns", /spelled correctly/],
    ["plain http behind https", () => odd.url.replace("http:", "https:"), "tls", /plain http/],
    ["not packed as it says", () => `${odd.url}/not-gzip`, "cut", /before the full response/],
  ])("no response is explained: %s", async (_what, url, kind, explanation) => {
    const result = await call({ url: url() });
    expect(result).toMatchObject({ status: null, failure: { kind } });
    expect(result.explanation).toMatch(explanation);
  });

  it("a response that unpacks to more than is read is refused, and the service goes on", async () => {
    expect(await refused({ url: `${odd.url}/bomb` })).toMatchObject({ title: "The response is too large" });
    expect((await call({ url: `${odd.url}/guest` })).status).toBe(200);
  });

  it("what cannot be sent yet is told by field, all at once, and nothing is sent", async () => {
    await reset(world.stays);
    const problem = await refused({ operation: "stays.guest", parameters: { nick: 1 } });
    expect(problem.errors?.map(({ field }) => field)).toEqual(["parameters.nick", "parameters.id"]);
    expect(await refused({ url: `${odd.url}/huts/{id}` })).toMatchObject({ errors: [{ field: "url" }] });
    expect(await refused({ url: odd.url, headers: { "X-Key": "<your key>" } })).toMatchObject({
      errors: [{ field: "headers.X-Key" }],
    });
    expect(await refused({ operation: "stays.createGuest" })).toMatchObject({ errors: [{ field: "body" }] });
    expect(await refused({ operation: "stays.nothing" })).toMatchObject({ errors: [{ field: "operation" }] });
    expect(await refused({ url: odd.url, using: "nobody" })).toMatchObject({ status: 404 });
    expect(await refused({ url: odd.url, using: "boards-bot", body: { json: 1, text: "" } })).toMatchObject({
      errors: [{ field: "body" }],
    });
    expect(await arrived(world.stays)).toEqual([]);
  });

  it("a pasted request is sent as it is; its key is used, and never kept or shown", async () => {
    const sample = `curl '${odd.url}/only-post?key=tr-123456789' -H 'X-Desk: corrie' --data-raw '{ "a":  1 }'`;
    const result = await call({ pasted: sample });
    expect(result.status).toBe(201);
    const sent = odd.requests.at(-1);
    expect(sent?.url).toBe("/only-post?key=tr-123456789");
    expect(sent?.body.toString()).toBe('{ "a":  1 }');
    expect(sent?.headers["content-type"]).toBe("application/json");
    const history = await world.client.call(routes.listTries, { query: {} });
    expect(JSON.stringify([result, history])).not.toContain("tr-123456789");
    expect(result.curl).toContain("key=$SECRET");
    const kept = await world.client.call(routes.try, { params: { id: result.id } });
    expect(kept).toMatchObject({ result: { body: { made: true } }, given: { method: "POST" } });
  });

  it("multipart, bytes and form bodies arrive as they should", async () => {
    const url = `${odd.url}/only-post`;
    await call({
      method: "POST",
      url,
      body: { multipart: { hut: "corrie", photo: { base64: "AAEC", name: "a.png" } } },
    });
    expect(odd.requests.at(-1)?.body.toString("latin1")).toContain(
      'filename="a.png"\r\nContent-Type: application/octet-stream\r\n\r\n\0\x01\x02\r\n',
    );
    await call({ method: "POST", url, body: { file: { base64: "AAEC", mediaType: "image/png" } } });
    expect(odd.requests.at(-1)).toMatchObject({
      headers: { "content-type": "image/png" },
      body: Buffer.from([0, 1, 2]),
    });
    await call({ method: "POST", url, body: { form: { a: ["x y", "z"] } } });
    expect(odd.requests.at(-1)?.body.toString()).toBe("a=x+y&a=z");
  });

  it("ckettle try: asks before it writes, reads parameters by their types, and ends by how it came out", async () => {
    const found = await world.ckettle([
      "try",
      "stays.searchGuests",
      "-p",
      "email=odd@huts.example",
      "--curl",
    ]);
    expect(found).toMatchObject({ code: 0 });
    expect(JSON.parse(found.out)).toMatchObject({ items: [{ id: "g-1" }] });
    expect(found.err).toContain("✓ 200");
    expect(found.err).toContain("$SECRET");
    const created = ["try", "stays.createGuest", "--body", '{"email":"may@huts.example"}'];
    await reset(world.stays);
    const asked = await world.ckettle(created);
    expect(asked).toMatchObject({ code: 2 });
    expect(asked.err).toContain("--yes");
    expect(await arrived(world.stays, "POST")).toEqual([]);
    expect((await world.ckettle([...created, "--yes"])).code).toBe(0);
    expect(await arrived(world.stays, "POST")).toHaveLength(1);
    const missing = await world.ckettle(["try", "stays.guest", "-p", "id=g-99"]);
    expect(missing).toMatchObject({ code: 1 });
    expect(missing.err).toContain("what it names, does not exist");
    expect(await world.ckettle(["try", "stays.guest"])).toMatchObject({ code: 2 });
    const file = join(world.folder, "sample.txt");
    await writeFile(file, `POST ${odd.url}/only-post HTTP/1.1\nContent-Type: application/json\n\n{}`);
    expect((await world.ckettle(["try", "--pasted", file])).err).toContain("--yes");
    expect((await world.ckettle(["try", "--pasted", file, "--yes", "--json"])).out).toContain('"made": true');
  });
});
