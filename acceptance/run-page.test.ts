import { routes, runsRoutes } from "@copper-kettle/contract";
import { readFile } from "node:fs/promises";
import type { Browser, Page } from "playwright-core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { launch, signIn } from "./browser.js";
import { World } from "./kit.js";

describe("what leads on from the page of a run", () => {
  let world: World;
  let browser: Browser;
  let page: Page;
  let first: string;
  beforeAll(async () => {
    [world, browser] = await Promise.all([World.start({ demo: true }), launch()]);
    ({ page } = await signIn(browser, world));
    await page.context().grantPermissions(["clipboard-read", "clipboard-write"]);
    await world.publishExample("greet-guest");
    const start = async (email: string): Promise<string> => {
      const { id } = await world.client.call(runsRoutes.startRun, {
        params: { name: "greet-guest" },
        body: { inputs: { email } },
      });
      await world.settled(id);
      return id;
    };
    first = await start("odd@huts.example");
    await start("nobody@huts.example");
    await page.goto(`${world.url}/runs/${first}`);
  });
  afterAll(async () => {
    await browser.close();
    await world.close();
  });
  const steps = () => page.getByRole("list", { name: "Steps on a time axis" });
  const saved = async (button: string): Promise<{ name: string; text: string }> => {
    const coming = page.waitForEvent("download");
    await page.getByRole("button", { name: button }).click();
    const file = await coming;
    return { name: file.suggestedFilename(), text: await readFile(await file.path(), "utf8") };
  };

  it("a call as a curl command, with a word in the place of its secret", async () => {
    await steps().getByText("guest", { exact: true }).click();
    const detail = page.getByRole("region", { name: "Step guest" });
    await detail.getByRole("button", { name: "Copy" }).click();
    await detail.getByRole("button", { name: "Copied" }).waitFor();
    const copied = await page.evaluate(() => navigator.clipboard.readText());
    expect(copied).toContain(`${world.stays.url}/guests?email=odd%40huts.example`);
    expect(copied).toMatch(/^curl .*Authorization: \$SECRET/s);
  });

  it("the whole journal as a file, each entry as JSON on its line", async () => {
    const { name, text } = await saved("Download the journal");
    expect(name).toBe(`greet-guest-${first}.jsonl`);
    const entries = text
      .trimEnd()
      .split("\n")
      .map((line) => JSON.parse(line) as { seq: number; entry: { type: string } });
    expect(entries.map(({ seq }) => seq)).toEqual(entries.map((_, index) => index));
    expect(entries.at(-1)?.entry.type).toBe("finished");
  });

  it("the step in the editor, with the values of this run though there is a newer one, and the file of the workflow", async () => {
    await steps().getByText("post", { exact: true }).click();
    await page.getByRole("link", { name: /^line \d+ in the editor$/ }).click();
    await page.waitForURL(/\/workflows\/greet-guest\?run=.*&step=post$/);
    const line = page.getByRole("treeitem", { name: /step post, / });
    await expect.poll(() => line.getAttribute("aria-selected")).toBe("true");
    await page.getByRole("treeitem", { name: /step guest, / }).press("ArrowRight");
    await page.getByText("odd@huts.example").first().waitFor();
    // What no document describes is offered as the run showed it, each field with its value.
    await page.getByRole("treeitem", { name: /step known, / }).click();
    await page.getByLabel("What is chosen").getByRole("textbox", { name: "if", exact: true }).click();
    await page.keyboard.press("Control+a");
    await page.keyboard.type("steps.guest.body.items[0].");
    await page.keyboard.press("Control+Space");
    const offered = page.locator(".cm-tooltip-autocomplete li", { hasText: "email" });
    await offered.getByText('text, may be absent · "odd@huts.example"').waitFor();
    await page.keyboard.press("Escape");
    await page.keyboard.press("Control+z");
    await page.getByRole("button", { name: "Text", exact: true }).click();
    const { name, text } = await saved("Download the file");
    expect(name).toBe("greet-guest.copper-kettle.yaml");
    expect(text).toBe((await world.client.call(routes.workflow, { params: { name: "greet-guest" } })).text);
  });

  it("stands in lists below its day", async () => {
    await page.goto(`${world.url}/workflows/greet-guest`);
    await page.getByRole("tab", { name: "Runs" }).click();
    const days = page.locator("tbody th[scope=rowgroup]");
    await days.first().waitFor();
    const today = await page.evaluate(() =>
      new Date().toLocaleDateString([], { weekday: "long", year: "numeric", month: "long", day: "numeric" }),
    );
    expect(await days.allTextContents()).toEqual([today]);
    expect(await page.locator("tbody time").first().textContent()).toMatch(/^\d\d:\d\d:\d\d/);
    expect(await page.getByText(/^times in \S+$/).count()).toBe(1);
    // A workflow has its title and its name in every list.
    await page.goto(`${world.url}/runs`);
    await page
      .getByRole("row", { name: /Greet a guest greet-guest/ })
      .first()
      .waitFor();
    expect(await page.getByText(/^times in \S+$/).count()).toBe(1);
  });
});
