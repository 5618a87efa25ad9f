import { routes } from "@copper-kettle/contract";
import type { Browser, Page } from "playwright-core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { launch, signIn } from "./browser.js";
import { arrived, reset, World } from "./kit.js";
import { oddServer, type OddServer } from "./odd-server.kit.js";

describe("APIs in the console", () => {
  let world: World;
  let browser: Browser;
  let page: Page;
  let complaints: string[];
  let odd: OddServer;
  beforeAll(async () => {
    odd = await oddServer();
    [world, browser] = await Promise.all([
      World.start({ env: { COPPER_KETTLE_ALLOW_ADDRESSES: "127.0.0.1" } }),
      launch(),
    ]);
    ({ page, complaints } = await signIn(browser, world));
  });
  afterAll(async () => {
    await browser.close();
    await world.close();
    await odd.close();
  });
  const open = async (path: string): Promise<void> => void (await page.goto(world.url + path));
  const send = async (): Promise<void> => {
    await page.getByRole("button", { name: "Send now", exact: true }).click();
    const ask = page.getByRole("button", { name: "Send" });
    await ask.or(page.locator("section .status b")).first().waitFor();
    if (await ask.isVisible()) await ask.click();
    await page.locator("section .status b").waitFor();
  };

  it("takes a document by its address, after it has shown what is in it", async () => {
    await open("/apis");
    await page.getByText("No APIs yet.").waitFor();
    await page.getByRole("link", { name: "Describe an API" }).click();
    await page.getByLabel("Document or request").fill(`${world.stays.url}/openapi.yaml`);
    await page.getByText("7 operations").waitFor();
    await page.getByLabel("Name of the API").fill("stays");
    await page.getByLabel("Server (replaces the servers of the document)").fill(world.stays.url);
    await page.locator("main").getByRole("combobox").first().click();
    await page.getByRole("option", { name: "stays-key" }).click();
    await page.getByRole("button", { name: "Import document" }).click();
    await page.waitForURL(/\/apis\/stays$/);
    await page.getByText("7 of 7").waitFor();
    const { credential, server, operations } = await world.client.call(routes.api, {
      params: { name: "stays" },
    });
    expect([credential, server, operations]).toEqual(["stays-key", world.stays.url, 7]);
    await page.getByRole("textbox", { name: "Search operations" }).fill("guest post");
    await page.getByText("1 of 7").waitFor();
    await page.getByText("Put a guest on record").click();
    await page.waitForURL(/\/apis\/stays\/createGuest$/);
    // Schemas are tables of fields, as JSON Schema behind a link.
    await page
      .getByRole("row", { name: /^email text \(e-mail\) yes/ })
      .first()
      .waitFor();
    await page.getByRole("button", { name: "as JSON Schema" }).first().click();
    await page.getByText("properties:").first().waitFor();
  });

  it("tries a call that writes only after it has said so; fields and text are the same body", async () => {
    await reset(world.stays);
    await page.getByLabel("email *").fill("may@huts.example");
    await page.getByRole("button", { name: "JSON", exact: true }).click();
    const text = page.getByLabel("Body", { exact: true });
    expect(JSON.parse(await text.inputValue())).toEqual({ email: "may@huts.example" });
    await text.fill('{"z":[1,"a",null],"email":"may@huts.example"}');
    await page.getByRole("button", { name: "Fields", exact: true }).click();
    await page.getByLabel("Kind of z").waitFor();
    await page.getByLabel("Remove z").click();
    await page.getByRole("button", { name: "Send now", exact: true }).click();
    await page.getByText("This call writes: POST /guests is sent for real.").waitFor();
    expect(await arrived(world.stays, "POST")).toEqual([]);
    await page.getByRole("button", { name: "Cancel" }).click();
    await send();
    await page.getByText("201").first().waitFor();
    expect((await arrived(world.stays, "POST"))[0]?.body).toEqual({ email: "may@huts.example" });
    await page.getByRole("tab", { name: "Sent" }).click();
    await page.getByText("Bearer •••").waitFor();
    await page.getByRole("tab", { name: "curl" }).click();
    await page.getByText("$SECRET").waitFor();
  });

  it("remembers what was given last, and keeps a response as a sample", async () => {
    await open("/apis/stays/searchGuests");
    await page.getByLabel("email").fill("odd@huts.example");
    await send();
    await open("/apis/stays/searchGuests");
    await page.getByText("Recent calls").waitFor();
    await page.waitForFunction(
      () =>
        (document.querySelector("form.try input") as { value?: string } | null)?.value === "odd@huts.example",
    );
    await page.locator(".tries button").first().click();
    await page.locator("section .status b").waitFor();
    await page.getByLabel("Name of the sample").fill("one guest");
    await page.getByRole("button", { name: "Save response" }).click();
    await page.getByRole("button", { name: "▸ one guest" }).waitFor();
    const { samples } = await world.client.call(routes.listSamples, {
      params: { name: "stays", id: "searchGuests" },
    });
    expect(samples.map(({ name, status }) => [name, status])).toEqual([["one guest", 200]]);
  });

  it("says at the field what is missing, before anything is sent", async () => {
    await open("/apis/stays/guest");
    await reset(world.stays);
    await page.getByRole("button", { name: "Send now", exact: true }).click();
    await page.getByText("is required, and has no value").waitFor();
    expect(await arrived(world.stays)).toEqual([]);
  });

  it("understands a pasted request live, tries it, and adds it with its key as a credential", async () => {
    await open("/add-api");
    const box = page.getByLabel("Document or request");
    await box.fill("not a request at all");
    await page.getByText("This is neither a curl command").waitFor();
    await box.fill(
      `curl -X POST '${odd.url}/huts/12/notes?lang=en' -H 'X-Api-Key: sk-1234567890' -d '{"text":"late"}'`,
    );
    await page.getByText("curl, which writes").waitFor();
    await page.getByRole("button", { name: "{hutId}" }).waitFor();
    await page.getByText("sk-••• (13 characters)").waitFor();
    await page.getByRole("button", { name: "Send now" }).click();
    await page.getByRole("button", { name: "Send", exact: true }).click();
    await page.getByText("The address, or what it names, does not exist").waitFor();
    expect(odd.requests.at(-1)).toMatchObject({ method: "POST", url: "/huts/12/notes?lang=en" });
    await page.getByLabel("Name of part 1").fill("hut");
    await page.getByLabel("Name of the API").fill("odd");
    await page.getByLabel("Id of the operation").fill("addNote");
    await page.getByLabel("Save the key as a credential named").fill("odd-key");
    await page.getByRole("button", { name: "Make the API of it" }).click();
    await page.waitForURL(/\/apis\/odd\/addNote$/);
    const { path } = await world.client.call(routes.operation, { params: { name: "odd", id: "addNote" } });
    expect(path).toBe("/huts/{hut}/notes");
    expect((await world.client.call(routes.credential, { params: { name: "odd-key" } })).kind).toBe(
      "api-key",
    );
  });

  it("changes an operation by its fields, and keeps all else of the document", async () => {
    await open("/apis/odd/addNote");
    await page.getByRole("tab", { name: "Change" }).click();
    await page.getByRole("textbox", { name: "Title" }).fill("Leave a note");
    await page.getByRole("button", { name: "▸ lang" }).click();
    await page.getByLabel("Fixed to").fill("de");
    const keep = page.getByRole("button", { name: "Save as new revision" });
    // What is pressed stays where it is when the field loses the focus, or the press would miss it.
    const place = await keep.boundingBox();
    await page.getByLabel("Fixed to").blur();
    for (let frames = 0; frames < 20; frames++) await page.evaluate("new Promise(requestAnimationFrame)");
    expect(await keep.boundingBox()).toEqual(place);
    await keep.click();
    await page.getByRole("heading", { name: "Leave a note" }).waitFor();
    const { operation } = await world.client.call(routes.operationSource, {
      params: { name: "odd", id: "addNote" },
    });
    expect(operation).toMatchObject({
      summary: "Leave a note",
      parameters: [{ name: "hut" }, { name: "lang", schema: { const: "de" }, example: "en" }],
      requestBody: { required: true },
    });
    // What is fixed is hidden from those who use it.
    await page.locator("form.try").getByLabel("hut").waitFor();
    expect(await page.locator("form.try").getByLabel("lang").count()).toBe(0);
  });

  it("shows pictures, tables and XML by their media types", async () => {
    for (const path of ["/picture.png", "/csv", "/xml"])
      await world.client.call(routes.addOperation, {
        params: { name: "odd" },
        body: { text: odd.url + path },
      });
    await open("/apis/odd/getPicturePng");
    await send();
    await page.getByAltText("The picture that came back").waitFor();
    await open("/apis/odd/getCsv");
    await send();
    await page.getByRole("cell", { name: "corrie" }).waitFor();
    await open("/apis/odd/getXml");
    await send();
    await page.getByText("huts:").waitFor();
    await page.getByRole("button", { name: "As text" }).click();
    await page.getByText('<hut id="1">').waitFor();
    expect(odd.requests.map(({ url }) => url)).toEqual(
      expect.arrayContaining(["/picture.png", "/csv", "/xml"]),
    );
  });

  it("shows drift at the API and on Home, and makes an operation of an inline call", async () => {
    const { id } = await world.client.call(routes.addOperation, {
      params: { name: "odd" },
      body: { text: `${odd.url}/guest` },
    });
    const source = await world.client.call(routes.operationSource, { params: { name: "odd", id } });
    const schema = { type: "object", properties: { id: { type: "integer" }, age: {}, hut: {} } };
    const responses = { 200: { description: "", content: { "application/json": { schema } } } };
    await world.client.call(routes.putOperation, {
      params: { name: "odd", id },
      body: { operation: { ...source.operation, responses } },
    });
    await world.publish(
      `copper-kettle: 1\nname: drifting\nsteps:\n  - { step: a, operation: odd.getGuest }\n  - step: b\n    request: GET ${odd.url}/xml\n`,
    );
    const run = await world.settled((await world.run("drifting")).id);
    await open("/");
    await page.getByRole("table", { name: "Drift" }).getByText("other type").waitFor();
    await open(`/runs/${run.id}`);
    await page
      .locator(".step")
      .filter({ has: page.getByText("a", { exact: true }) })
      .click();
    await page.getByText("does not match its schema at id").waitFor();
    await open("/apis/odd");
    await page.getByRole("button", { name: "Clear the list" }).click();
    await page.getByRole("table", { name: "Drift" }).waitFor({ state: "detached" });

    await open("/workflows/drifting");
    await page.getByRole("treeitem", { name: "step b, request" }).click();
    await page.getByRole("button", { name: "Make an operation of b" }).click();
    await page.getByLabel("API (an existing one or a new name)").first().fill("odd");
    await page.keyboard.press("Tab");
    await page.getByRole("button", { name: "Create operation" }).click();
    await page.getByText("b calls odd.getXml now.").waitFor();
    await page.getByRole("treeitem", { name: "step b, operation" }).getByText("odd.getXml").waitFor();
    expect((await world.client.call(routes.listDrift, { query: { api: "odd" } })).drift).toEqual([]);
    expect((await world.client.call(routes.workflow, { params: { name: "drifting" } })).text).toContain(
      "operation: odd.getXml",
    );
  });

  it("lists and searches hundreds of operations as one types", async () => {
    const paths = Object.fromEntries(
      Array.from({ length: 500 }, (_, index) => [
        `/huts/${index}`,
        { get: { operationId: `hut${index}`, responses: {} } },
      ]),
    );
    const text = JSON.stringify({
      openapi: "3.1.0",
      info: { title: "Many", version: "1" },
      servers: [{ url: odd.url }],
      paths,
    });
    await world.client.call(routes.putApi, { params: { name: "many" }, body: { text } });
    await open("/apis/many");
    await page.getByText("500 of 500").waitFor();
    expect(await page.locator("a.operation").count()).toBeLessThan(60);
    await page.getByRole("textbox", { name: "Search operations" }).fill("hut499");
    await page.getByText("1 of 500").waitFor();
    await page.getByRole("link", { name: /\/huts\/499/ }).waitFor();
  });

  it("no page complained, but for what the service refused", () => {
    expect(complaints.filter((text) => !/status of 4\d\d/.test(text))).toEqual([]);
  });
});
