import { routes } from "@copper-kettle/contract";
import { parseJson, printJson, type JsonObject } from "@copper-kettle/core";
import { writeFile } from "node:fs/promises";
import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { join } from "node:path";
import type { Browser } from "playwright-core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { launch, signIn } from "./browser.js";
import { World } from "./kit.js";

describe("expressions, where people use them", () => {
  let world: World;
  let browser: Browser;
  let far: Server;
  let farUrl: string;
  let received = "";
  /** Numbers with more digits than a double holds. */
  const long = '{"id":12345678901234567890,"price":0.1234567890123456789,"list":[1e400,9007199254740993]}';
  beforeAll(async () => {
    far = createServer((request, response) => {
      let text = "";
      request.on("data", (piece: Buffer) => (text += piece.toString()));
      request.on("end", () => {
        if (request.method === "POST") received = text;
        response.writeHead(200, { "Content-Type": "application/json" }).end(long);
      });
    });
    await new Promise<void>((resolve) => far.listen(0, "127.0.0.1", resolve));
    farUrl = `http://127.0.0.1:${(far.address() as AddressInfo).port}`;
    [world, browser] = await Promise.all([
      World.start({ env: { COPPER_KETTLE_ALLOW_ADDRESSES: "127.0.0.1" } }),
      launch(),
    ]);
  });
  afterAll(async () => {
    await browser.close();
    await world.close();
    far.close();
    far.closeAllConnections();
  });
  const eval_ = (args: string[], input = "") => world.ckettle(["eval", ...args], input);

  it("numbers keep their digits from a response to the next request, through the journal and the response", async () => {
    await world.publish(
      `copper-kettle: 1\nname: digits\nsteps:\n  - { step: get, request: GET ${farUrl}/ }\n  - { step: keep, set: { body: "\${steps.get.body}" } }\n  - { step: post, request: POST ${farUrl}/, body: { json: "\${variables.body}" } }\n  - { step: reply, respond: { body: { id: "\${steps.get.body.id}", text: "no \${steps.get.body.id}", same: "\${steps.get.body.id == 12345678901234567890}" } } }\n`,
    );
    const run = await world.settled((await world.run("digits")).id);
    expect(run.state).toBe("succeeded");
    expect(received).toBe(long);
    expect(printJson(run.response?.body)).toBe(
      '{"id":12345678901234567890,"text":"no 12345678901234567890","same":true}',
    );
    const scope = await world.client.call(routes.runScope, { params: { id: run.id } });
    expect(printJson((scope["steps"] as JsonObject)["keep"])).toBe(`{"body":${long}}`);
  });

  it("ckettle eval: on a file, on standard input, on a run, as a template; faults are pointed at", async () => {
    const file = join(world.folder, "data.json");
    await writeFile(file, long);
    expect((await eval_(["id", "--data", file])).out).toBe("12345678901234567890\n");
    expect((await eval_(["data[1] + size(data)", "--data", "-"], "[1, 2]")).out).toBe("4\n");
    expect((await eval_(["--template", "no ${id}!", "-d", file])).out).toBe("no 12345678901234567890!\n");
    const parts = (await eval_(["--parts", "list.map(n, n + 1)[0] > 3", "-d", "-"], '{"list": [1, 2]}')).out;
    expect(parts.split("\n").map((line) => line.trimEnd().replace(/(\S) {2,}/g, "$1 | "))).toEqual([
      "PART | GIVES",
      "list.map(n, n + 1)[0] > 3 | false",
      "  list.map(n, n + 1)[0] | 2",
      "    list.map(n, n + 1) | [2,3]",
      "      list | [1,2]",
      "      n + 1 | 2 | n is the first",
      "        n | 1",
      "",
    ]);
    const fault = await eval_(["list[0] + idd", "-d", file]);
    expect(fault.code).toBe(2);
    expect(fault.err).toBe('list[0] + idd\n          ^^^\nThere is no "idd" here; did you mean "id"?\n');
    expect(await eval_(["1 +"])).toMatchObject({
      code: 2,
      err: expect.stringContaining("too early") as string,
    });
    expect(await eval_(["1", "-d", join(world.folder, "token")])).toMatchObject({ code: 2 });
    const { runs } = await world.client.call(routes.listRuns, { query: { workflow: "digits", limit: 1 } });
    const id = runs[0]?.id as string;
    expect((await eval_(["steps.get.body.list[1]", "--run", id])).out).toBe("9007199254740993\n");
    expect((await eval_(["run.workflow", "--run", id, "--json"])).out).toBe('"digits"\n');
  });

  it("the values of a run are masked", async () => {
    await world.publish(
      'copper-kettle: 1\nname: masked\ninputs: { type: object, properties: { key: { type: string, writeOnly: true } } }\nsteps:\n  - { step: a, set: { copy: "${inputs.key}" } }\n  - { step: b, note: "${variables.copy}" }\n',
    );
    const run = await world.settled((await world.run("masked", { key: "sk-very-secret" })).id);
    const scope = await world.client.call(routes.runScope, { params: { id: run.id } });
    expect(JSON.stringify(scope)).not.toContain("sk-very-secret");
    expect(scope).toMatchObject({ inputs: { key: "•••" }, variables: { copy: "•••" } });
  });

  it("in the console they are tried on a run's values, with completion, and an attack ends in an error", async () => {
    const { page, complaints } = await signIn(browser, world);
    const { runs } = await world.client.call(routes.listRuns, { query: { workflow: "digits", limit: 1 } });
    await page.goto(`${world.url}/runs/${runs[0]?.id}`);
    await page.getByRole("link", { name: "Try expressions" }).click();
    const editor = page.getByLabel("Expression", { exact: true });
    const type = async (text: string): Promise<void> => {
      await editor.click();
      await page.keyboard.press("Control+a");
      await page.keyboard.insertText(text);
    };
    await type("steps.get.body.id");
    await page.locator(".number", { hasText: "12345678901234567890" }).waitFor();
    await type("steps.get.body.pri");
    await page.keyboard.press("Control+Space");
    await page.locator(".cm-tooltip-autocomplete").getByText("price").click();
    await page.getByText("0.1234567890123456789", { exact: true }).first().waitFor();
    await type("steps.get.bdy");
    await page.getByText('No "bdy" in steps.get; it has "body".').waitFor();
    await type("lists.range(1000).map(a, lists.range(1000).map(b, lists.range(1000).map(c, 1)))");
    await page.getByText("The expression does too much").waitFor();
    await type("");
    await page.getByLabel("Unfold steps", { exact: true }).click();
    await page.getByRole("button", { name: "get", exact: true }).click();
    await page.locator(".cm-line", { hasText: "steps.get" }).waitFor();
    // What was typed survives a reload.
    await page.reload();
    await page.locator(".cm-line", { hasText: "steps.get" }).waitFor();
    expect(complaints).toEqual([]);
  });

  it("the editor of a workflow completes names and tells what the shapes of described APIs say", async () => {
    await world.client.call(routes.putApi, {
      params: { name: "stays" },
      body: { url: `${world.stays.url}/openapi.yaml`, server: world.stays.url },
    });
    const text =
      'copper-kettle: 1\nname: shaped\nsteps:\n  - { step: guest, operation: stays.guest, parameters: { id: g-1 } }\n  - { step: b, note: "${steps.guest.body.emial}" }\n';
    const { problemList } = await world.client.call(routes.pushWorkflow, {
      params: { name: "shaped" },
      body: { text },
    });
    expect(problemList).toMatchObject([{ severity: "warning", code: "unknown-field", line: 5 }]);
    expect(problemList[0]?.message).toContain('did you mean "email"?');
    const { page } = await signIn(browser, world);
    await page.goto(`${world.url}/workflows/shaped`);
    await page.getByText('did you mean "email"?').first().waitFor();
    await page.getByRole("button", { name: "Text", exact: true }).click();
    await page.getByLabel("The workflow file").locator(".cm-line", { hasText: "emial" }).click();
    await page.keyboard.press("End");
    await page.keyboard.insertText('\n  - { step: c, note: "${steps.gu');
    await page.keyboard.press("Control+Space");
    await page.locator(".cm-tooltip-autocomplete").getByText("guest").waitFor();
  });

  it("bad JSON keeps its place: digits and all", () => {
    expect(printJson(parseJson(long))).toBe(long);
  });
});
