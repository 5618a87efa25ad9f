import { routes } from "@copper-kettle/contract";
import { execFile } from "node:child_process";
import { createHmac } from "node:crypto";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { World } from "./kit.js";

const secret = `whsec_${Buffer.from("a secret of twenty-four b").toString("base64")}`;

interface Schema {
  type?: string;
  const?: unknown;
  required?: string[];
  properties?: Record<string, Schema>;
}

/** What a stranger's program would send, from nothing but a schema: only what is required. */
function made(schema: Schema): unknown {
  if (schema.const !== undefined) return schema.const;
  if (schema.properties)
    return Object.fromEntries(
      (schema.required ?? []).map((name) => [name, made(schema.properties?.[name] ?? {})]),
    );
  return { string: "eyrie", integer: 3, number: 1.5, boolean: true }[schema.type ?? "string"];
}

describe("a workflow for other programs", () => {
  let world: World;
  const folder = mkdtempSync(join(tmpdir(), "ckettle-described-"));
  beforeAll(async () => {
    world = await World.start();
    const put = (name: string, body: object) =>
      world.client.call(routes.putCredential, { params: { name }, body: body as never });
    await put("stays-hook", { kind: "secret", secret });
    await put("board-hook", { kind: "secret", secret: "board-secret-123" });
    await put("desk-basic", { kind: "basic", user: "desk", password: "pw-'desk$1" });
    await put("desk-bearer", { kind: "bearer", token: "token-desk-12345" });
    await put("desk-key", {
      kind: "api-key",
      parts: [{ place: "header", name: "X-Desk-Key", prefix: "Key ", secret: "key-desk-123456" }],
    });
    await put("page-key", {
      kind: "api-key",
      parts: [{ place: "query", name: "desk_key", secret: "key-page-123456" }],
    });
    const inputs = `inputs: { hut: "\${trigger.body.stay.hut}", nights: "\${trigger.body.stay.nights}", desk: "\${trigger.query.?desk.orValue(null)}" }`;
    const hook = (name: string, verify: string) => `  ${name}:
    webhook: { path: ${name}, verify: ${verify}, response: from-run, within: 20s }
    only-if: trigger.body.type == "stay.asked" && trigger.body.test == false
    ${inputs}
`;
    await world.publish(`copper-kettle: 1
name: price
title: The price of a stay
inputs:
  type: object
  required: [hut, nights]
  properties:
    hut: { type: string, example: it's 'eyrie' }
    nights: { type: integer, minimum: 1 }
    desk: { type: [string, "null"], example: "a b&c" }
triggers:
${hook("standard", "{ standard-webhooks: stays-hook }")}${hook("stamped", `{ hmac: { using: board-hook, header: X-Signature, value: "t={timestamp},v1={hex}", base: "\${timestamp}.\${body}" } }`)}${hook("sealed", `{ hmac: { using: board-hook, header: X-Signature, value: "{base64}", base: "v0:\${timestamp}:\${body}", timestamp: X-Time } }`)}${hook("basic", "{ basic: desk-basic }")}${hook("bearer", "{ bearer: desk-bearer }")}${hook("key", "{ api-key: desk-key }")}${hook("paged", "{ api-key: page-key }")}${hook("open", "none")}
responses:
  "200": { type: object, required: [crowns], properties: { crowns: { type: number } } }
steps:
  - { step: reply, respond: { body: { crowns: "\${inputs.nights * 40}", hut: "\${inputs.hut}" } } }
`);
    await world.publish(`copper-kettle: 1
name: private
triggers: { own: { webhook: { path: own, verify: { bearer: desk-bearer } } } }
steps: [{ step: one, set: { a: 1 } }]
`);
  });
  afterAll(async () => {
    await world.close();
    rmSync(folder, { recursive: true });
  });

  it("is called by a program that knows only the document that anybody may read", async () => {
    const document = (await (await fetch(`${world.url}/webhooks/openapi.json`)).json()) as {
      servers: { url: string }[];
      paths: Record<string, { post: { requestBody: unknown; security: Record<string, unknown>[] } }>;
      components: { securitySchemes: Record<string, { type: string; name: string; scheme: string }> };
    };
    // What lists no responses is nobody's interface.
    expect(Object.keys(document.paths)).not.toContain("/webhooks/own");
    expect(JSON.stringify(document).includes(secret)).toBe(false);
    expect(JSON.stringify(document)).not.toMatch(/secret-123|desk-12345|-123456/);
    const path = "/webhooks/stamped";
    const { requestBody, security } = document.paths[path]?.post ?? { requestBody: {}, security: [] };
    const { schema } = (requestBody as { content: Record<string, { schema: Schema }> }).content[
      "application/json"
    ] as { schema: Schema };
    expect(made(schema)).toEqual({ type: "stay.asked", test: false, stay: { hut: "eyrie", nights: 3 } });
    const scheme = document.components.securitySchemes[Object.keys(security[0] ?? {})[0] ?? ""];
    const body = JSON.stringify(made(schema));
    const time = Math.floor(Date.now() / 1_000);
    const signature = createHmac("sha256", "board-secret-123").update(`${time}.${body}`).digest("hex");
    const answer = await fetch(`${document.servers[0]?.url}${path}`, {
      method: "POST",
      headers: { "Content-Type": "application/json", [scheme?.name ?? ""]: `t=${time},v1=${signature}` },
      body,
    });
    expect([answer.status, await answer.json()]).toEqual([200, { crowns: 120, hut: "eyrie" }]);
  });

  it("is called by each printed call as it stands", async () => {
    const { ways } = await world.client.call(routes.describeWorkflow, { params: { name: "price" } });
    const { address } = await world.client.call(routes.replaceAddress, {
      params: { name: "price", trigger: "open" },
      body: {},
    });
    const secrets: Record<string, string> = {
      standard: secret,
      stamped: "board-secret-123",
      sealed: "board-secret-123",
      bearer: "token-desk-12345",
      key: "key-desk-123456",
      paged: "key-page-123456",
    };
    const run = (file: string, args: string[], env: object) =>
      new Promise<string>((resolve) =>
        execFile(file, args, { env: { ...process.env, ...env } }, (_error, stdout, stderr) =>
          resolve(stdout + stderr),
        ),
      );
    expect(ways.map(({ trigger }) => trigger)).toEqual([
      ...Object.keys(secrets).slice(0, 3),
      "basic",
      "bearer",
      "key",
      "paged",
      "open",
      null,
    ]);
    for (const { trigger, curl, fetch: module } of ways) {
      const env = {
        SECRET: trigger === null ? world.token : (secrets[trigger] ?? ""),
        LOGIN: "desk:pw-'desk$1",
        ADDRESS: address.split("/").at(-1) ?? "",
      };
      const file = join(folder, `${trigger ?? "api"}.mjs`);
      writeFileSync(file, module);
      expect(await run("sh", ["-c", curl], env), curl).toContain('"crowns":40');
      expect(await run(process.execPath, [file], env), module).toMatch(/^200 .*"crowns":40.*it's 'eyrie'/);
      expect(
        await run("sh", ["-c", curl], { ...env, SECRET: "another", LOGIN: "a:b", ADDRESS: "x" }),
      ).not.toContain("crowns");
    }
    const cli = await world.ckettle(["workflow", "describe", "price"]);
    expect(cli.out).toContain("By the webhook standard");
    expect(cli.out).toContain("The variable LOGIN holds user:password.");
    const openapi = await world.ckettle(["workflow", "describe", "price", "--openapi"]);
    expect(JSON.parse(openapi.out)).toMatchObject({
      openapi: "3.1.0",
      paths: { "/webhooks/open/{address}": {} },
    });
  });

  it("gives nothing that it did not promise", async () => {
    const file = (steps: string) => `copper-kettle: 1
name: promised
inputs: { type: object, properties: { n: {} } }
responses:
  "200": { type: object, required: [crowns], properties: { crowns: { type: number } } }
steps:
${steps}
`;
    const check = async (step: string) =>
      (await world.client.call(routes.check, { body: { text: file(step) } })).problems.map(
        ({ message }) => message,
      );
    expect(await check("  - { step: r, respond: { status: 201, body: {} } }")).toEqual([
      '"responses" does not list 201; it lists 200.',
    ]);
    expect(await check("  - { step: r, respond: { body: { crown: 1 } } }")).toEqual([
      'body has no "crowns", which the schema requires.',
    ]);
    expect(await check("  - { step: r, respond: { body: { crowns: many } } }")).toEqual([
      "body.crowns is a text, but the schema wants a number.",
    ]);
    expect(
      await check("  - { step: r, respond: { headers: { Set-Cookie: a=b }, body: { crowns: 1 } } }"),
    ).toEqual([
      "A workflow's response may not have the header Set-Cookie: it would speak for the whole service.",
    ]);
    const leads = (to: string) =>
      check(`  - { step: r, respond: { headers: { Location: "${to}" }, body: { crowns: 1 } } }`);
    for (const to of ["https://stays.example/stays/${inputs.n}", "/stays/${inputs.n}", "https://a.example"])
      expect(await leads(to)).toEqual([]);
    for (const to of ["${inputs.n}", "https://${inputs.n}/a", "/${inputs.n}", "//${inputs.n}"])
      expect(await leads(to)).toEqual([expect.stringMatching(/Location must begin/)]);
    // What the check cannot know, the step does.
    await world.publish(file('  - { step: r, respond: { body: { crowns: "${inputs.n}" } } }'));
    const start = (n: unknown) =>
      fetch(`${world.url}/api/workflows/promised/runs?wait=20s`, {
        method: "POST",
        headers: { Authorization: `Bearer ${world.token}`, "Content-Type": "application/json" },
        body: JSON.stringify({ inputs: { n } }),
      });
    expect((await start(3)).status).toBe(200);
    const bad = await start("three");
    expect([bad.status, await bad.text()]).toEqual([
      502,
      expect.stringMatching(/crowns.*does not fit|does not fit.*crowns/),
    ]);
  });

  it("is described to who may read it", async () => {
    const url = `${world.url}/api/workflows/price/description`;
    expect((await fetch(url)).status).toBe(401);
    const there = { headers: { Authorization: `Bearer ${world.token}` } };
    expect((await fetch(url.replace("price", "nobody"), there)).status).toBe(404);
  });
});
