import { routes } from "@copper-kettle/contract";
import type { Browser, Page } from "playwright-core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { launch, signIn } from "./browser.js";
import { arrived, World } from "./kit.js";

const rule = { holds: "size(value) > 3", otherwise: "At least 4 letters" };

describe("the grid of an operation in the console", () => {
  let world: World;
  let browser: Browser;
  let page: Page;
  beforeAll(async () => {
    [world, browser] = await Promise.all([World.start(), launch()]);
    ({ page } = await signIn(browser, world));
    await world.client.call(routes.addOperation, {
      params: { name: "notes" },
      body: {
        id: "addNote",
        text: `curl -X POST '${world.boards.url}/notes?notify=true' -H 'Content-Type: application/json' -d '{"text":"Hello","style":"loud","author":{"name":"Hazel","team":"desk"}}'`,
      },
    });
  });
  afterAll(async () => {
    await browser.close();
    await world.close();
  });

  it("leaves open what is marked, and fixes the rest: a call needs no more than that", async () => {
    await page.goto(`${world.url}/apis/notes/addNote`);
    await page.getByRole("tab", { name: "Change" }).click();
    await page.getByLabel("Mark body text").check();
    await page.getByLabel("What people call body text").fill("What to say");
    await page.getByLabel("What people call body text").press("Tab");
    await page.getByRole("button", { name: "Fix the rest at these values" }).click();
    await page.getByLabel("Scopes").fill("Requires the scopes notes:write and notes:read.");
    await page.getByLabel("Scopes").press("Tab");
    await page.getByRole("button", { name: "Save as new revision" }).click();
    await page.getByText("Needs the scopes notes:write notes:read").waitFor();
    const operation = await world.client.call(routes.operation, { params: { name: "notes", id: "addNote" } });
    expect(operation.fields.filter(({ fixed }) => fixed === undefined).map(({ name }) => name)).toEqual([
      "text",
      "author",
    ]);
    await world.publish(
      "copper-kettle: 1\nname: say\nsteps:\n  - { step: a, operation: notes.addNote, parameters: { text: Good morning }, success: 'true' }\n",
    );
    expect((await world.settled((await world.run("say")).id)).error).toBeNull();
    const [sent] = await arrived(world.boards, "POST");
    expect(sent).toMatchObject({
      query: { notify: "true" },
      body: { text: "Good morning", style: "loud", author: { name: "Hazel", team: "desk" } },
    });
  });

  it("says a rule while one types, and where one gets the key beside the key", async () => {
    const { client, stays } = world;
    await client.call(routes.putApi, {
      params: { name: "stays" },
      body: { url: `${stays.url}/openapi.yaml`, credential: "stays-key", server: stays.url, rules: true },
    });
    const params = { name: "stays", id: "listStays" };
    const { operation } = await client.call(routes.operationSource, { params });
    const hut = { name: "hut", in: "query", schema: { type: "string", "x-ckettle-rule": rule } };
    await client.call(routes.putOperation, {
      params,
      body: { operation: { ...operation, parameters: [hut] } },
    });
    await page.goto(`${world.url}/apis/stays/listStays`);
    const field = page.getByLabel("hut", { exact: true });
    await field.pressSequentially("tor");
    const said = page.locator("form.try").getByText(rule.otherwise);
    await said.waitFor();
    await field.press("n");
    await said.waitFor({ state: "detached" });

    await page.goto(`${world.url}/credentials/stays-key`);
    await page.getByRole("button", { name: "Edit", exact: true }).click();
    await page.getByText("A key of 16 signs").waitFor();
    const link = page.getByRole("link", { name: "Where do I get this?" });
    expect(await link.getAttribute("href")).toBe("https://stays.example/settings/keys");
    await page.getByLabel("Token").fill("Bearer sk-12345");
    await page.getByText("Authorization: Bearer ••• (8 signs)").waitFor();
  });

  it("opens what was fixed, and fits on a phone", async () => {
    await page.setViewportSize({ width: 390, height: 844 });
    await page.goto(`${world.url}/apis/notes/addNote`);
    await page.getByRole("tab", { name: "Change" }).click();
    await page.getByLabel("Mark body style").check();
    await page.getByRole("button", { name: "Open the marked" }).click();
    expect(
      await page.evaluate(() => document.documentElement.scrollWidth <= document.documentElement.clientWidth),
    ).toBe(true);
    await page.getByRole("button", { name: "Save as new revision" }).click();
    await page.getByText("In a workflow:").waitFor();
    await page.getByRole("table", { name: "Fields of the body" }).waitFor();
    const { fields } = await world.client.call(routes.operation, {
      params: { name: "notes", id: "addNote" },
    });
    expect(fields.find(({ name }) => name === "style")).not.toHaveProperty("fixed");
  });
});
