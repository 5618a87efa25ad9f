import { routes } from "@copper-kettle/contract";
import { valueOfText } from "@copper-kettle/core";
import type { Browser, Page } from "playwright-core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { launch, signIn } from "./browser.js";
import { AtEditor } from "./editor.kit.js";
import { until, World } from "./kit.js";

describe("words of the file, in the text", () => {
  let world: World;
  let browser: Browser;
  let page: Page;
  let at: AtEditor;
  beforeAll(async () => {
    [world, browser] = await Promise.all([World.start({ demo: true }), launch()]);
    ({ page } = await signIn(browser, world));
    await world.describeStays();
    await world.publish("copper-kettle: 1\nname: typed\nsteps:\n  - step: first\n    note: x\n");
    at = new AtEditor(page);
  });
  afterAll(async () => {
    await browser.close();
    await world.close();
  });
  const openText = async (): Promise<void> => {
    await page.goto(`${world.url}/workflows/typed`);
    await page.getByRole("button", { name: "Text", exact: true }).click();
    await page.getByLabel("The workflow file").click();
  };

  it("keys, kinds, operations and credentials are completed in the text", async () => {
    await openText();
    await page.keyboard.press("Control+End");
    const take = async (typed: string, label: string): Promise<void> => {
      await page.keyboard.type(typed);
      await page.locator(".cm-tooltip-autocomplete li", { hasText: label }).first().click();
    };
    await page.keyboard.type("  - step: more\n");
    await take("oper", "operation");
    await take("stays.searchG", "stays.searchGuests");
    await page.keyboard.press("Enter");
    await take("usi", "using");
    await take("stays-", "stays-key");
    await page.keyboard.press("Enter");
    await take("para", "parameters");
    await page.keyboard.type("{ ");
    await take("ema", "email");
    await page.keyboard.type("a@huts.example }");
    await at.saved();
    const { text } = await world.client.call(routes.workflow, { params: { name: "typed" } });
    expect((valueOfText(text) as { steps: object[] }).steps.at(-1)).toEqual({
      step: "more",
      operation: "stays.searchGuests",
      using: "stays-key",
      parameters: { email: "a@huts.example" },
    });
  });

  it("are completed, too, where one typed on while it was worked out that there is nothing to complete", async () => {
    await openText();
    let answer = (): void => undefined;
    const held = new Promise<void>((resolve) => (answer = resolve));
    let asked = 0;
    await page.route(/\/api\/catalogue/, async (route) => {
      asked++;
      await held;
      await route.continue();
    });
    await page.keyboard.press("Control+End");
    await page.keyboard.press("Enter");
    await page.keyboard.press("Shift+Home");
    await page.keyboard.type("  - { step: last");
    await until(() => asked > 0, "the completion is on its way");
    await page.keyboard.type(", oper");
    answer();
    await page.locator(".cm-tooltip-autocomplete li", { hasText: "operation" }).waitFor();
    await page.keyboard.press("Escape");
    await page.keyboard.press("Control+z");
    await at.saved();
  });
});
