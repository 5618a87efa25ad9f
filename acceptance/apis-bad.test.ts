import { routes } from "@copper-kettle/contract";
import { startStandIn, stays, type StandIn } from "@copper-kettle/standins";
import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { World } from "./kit.js";

describe("what is not a document of an API", () => {
  let world: World;
  let far: StandIn;
  let page: Server;
  let pageUrl: string;
  beforeAll(async () => {
    far = await startStandIn(stays());
    world = await World.start({ demo: false, env: { COPPER_KETTLE_ALLOW_ADDRESSES: "127.0.0.1" } });
    page = createServer((_request, response) => void response.end("<h1>Our API</h1>"));
    await new Promise<void>((resolve) => page.listen(0, "127.0.0.1", resolve));
    pageUrl = `http://127.0.0.1:${(page.address() as AddressInfo).port}/`;
  });
  afterAll(async () => {
    await world.close();
    page.close();
    await far.close();
  });
  const add = (name: string, text: string) =>
    world.client.call(routes.putApi, { params: { name }, body: { text } });

  it.each<[string, string, string]>([
    ["nothing", "", "The text is empty"],
    ["an HTML page", "<html><h1>Docs</h1></html>", "HTML or XML"],
    ["a list", "- a\n- b\n", "it is a list"],
    ["a workflow file", "copper-kettle: 1\nname: x\n", "looks like a workflow file"],
    ["a HAR", '{"log":{"entries":[]}}', "looks like an HTTP archive"],
    ["a schema", '{"$schema":"https://json-schema.org/draft/2020-12/schema"}', "looks like a JSON Schema"],
    ["a version of the future", "openapi: 9.0.0\npaths: {}\n", "OpenAPI 9.0.0 is not read"],
    ["broken JSON", '{"openapi": "3.1.0",', "begins like JSON"],
    ["broken YAML", "openapi: 3.1.0\n  paths: {}\n", "The YAML cannot be read"],
    ["no paths", "openapi: 3.1.0\ninfo: {}\n", 'has no "paths"'],
    [
      "a reference to an address",
      "openapi: 3.1.0\npaths: { /a: { $ref: 'http://10.0.0.1/x.yaml' } }\n",
      "refers to http://10.0.0.1/x.yaml",
    ],
    [
      "a reference to a file",
      "openapi: 3.1.0\npaths: { /a: { $ref: '/etc/passwd' } }\n",
      "refers to /etc/passwd",
    ],
    [
      "a YAML bomb",
      `openapi: 3.1.0\npaths: {}\na: &a [x,x,x,x,x,x,x,x,x]\n${"bcdefgh"
        .split("")
        .map((key, index) => `${key}: &${key} [${Array(9).fill(`*${"abcdefg"[index]}`).join(",")}]`)
        .join("\n")}\n`,
      "YAML cannot be read",
    ],
    ["21 MB", `openapi: 3.1.0\npaths: {}\nx-long: ${"x".repeat(21_000_000)}\n`, "at most 20 MB"],
  ])("refuses %s, and says why", async (_what, text, words) => {
    await expect(add("bad", text)).rejects.toMatchObject({
      problem: { status: 422, detail: expect.stringContaining(words) },
    });
    await expect(world.client.call(routes.api, { params: { name: "bad" } })).rejects.toMatchObject({
      problem: { status: 404 },
    });
  });

  it("refuses an address that is not a document, that is not there, or that calls may not go to", async () => {
    for (const [url, words] of [
      [pageUrl, "HTML or XML"],
      [`${far.url}/nowhere`, "sent 401"],
      ["http://10.0.0.1/openapi.yaml", "own network"],
    ] as const)
      await expect(
        world.client.call(routes.previewApi, { params: { name: "bad" }, body: { url } }),
      ).rejects.toMatchObject({
        problem: { detail: expect.stringContaining(words) },
      });
    await expect(
      world.client.call(routes.previewApi, { params: { name: "bad" }, body: {} }),
    ).rejects.toMatchObject({ problem: { status: 400 } });
  });
});
