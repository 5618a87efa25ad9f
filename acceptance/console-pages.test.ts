import { routes } from "@copper-kettle/contract";
import type { Browser, Page } from "playwright-core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { faultsOfAccess } from "./axe.kit.js";
import { cutTables, launch, signIn } from "./browser.js";
import { faults, until, World } from "./kit.js";

describe("each page of the console", () => {
  let world: World;
  let browser: Browser;
  /** One who sees it wide, one who likes it dark, and one who has a phone. */
  const viewers: Record<string, Awaited<ReturnType<typeof signIn>>> = {};
  const ids = { unsure: "", round: "" };
  beforeAll(async () => {
    [world, browser] = await Promise.all([World.start({ demo: true }), launch()]);
    await world.publishExample("greet-guest");
    await world.publishExample("hut-round");
    await world.describeStays();
    ids.round = (await world.run("hut-round")).id;
    await world.settled(ids.round);
    await faults(world.stays, [{ method: "POST", path: "/guests", times: 1, drop: "after" }]);
    ids.unsure = (await world.run("greet-guest", { email: "ines@huts.example" })).id;
    await until(
      async () => (await world.client.call(routes.run, { params: { id: ids.unsure } })).state === "unsure",
      "the run is unsure",
    );
    for (const [name, width] of Object.entries({ wide: 1280, dark: 1280, small: 390 }))
      viewers[name] = await signIn(browser, world, { width, height: 800 });
    await viewers["dark"]?.page.evaluate(() => localStorage.setItem("copper-kettle.theme", "dark"));
  });
  afterAll(async () => {
    await browser.close();
    await world.close();
  });

  const lookAt = async (page: Page): Promise<void> => {
    const [wide, shown] = await page.evaluate(() => [document.documentElement.scrollWidth, innerWidth]);
    expect(wide).toBeLessThanOrEqual(shown as number);
    expect(await page.evaluate(cutTables)).toEqual([]);
    expect(await faultsOfAccess(page)).toEqual([]);
  };

  it.each([
    "/",
    "/workflows",
    "/workflows/greet-guest",
    "/add-workflow",
    "/apis",
    "/apis/stays",
    "/apis/stays/createStay",
    "/add-api",
    "/credentials",
    "/credentials/stays-key",
    "/add-credential",
    "/runs",
    "/runs/{round}",
    "/runs/{unsure}",
    "/settings",
    "/settings/notifications",
    "/settings/constants",
    "/settings/network",
    "/settings/traffic",
    "/settings/tokens",
    "/settings/activity",
    "/help/expressions",
    "/help/limits",
    "/help/workflow-file",
  ])(
    "%s does not scroll sideways, cuts no table and has no serious fault of access: light, dark and at 390 px",
    async (path) => {
      const address = world.url + path.replace(/\{(.*)\}/, (_, name: keyof typeof ids) => ids[name]);
      for (const { page } of Object.values(viewers)) {
        await page.goto(address);
        await page.locator("h1").first().waitFor();
        await page.waitForLoadState("networkidle");
        await lookAt(page);
      }
    },
  );

  it("the versions and grants of a workflow do neither", async () => {
    for (const { page } of Object.values(viewers)) {
      await page.goto(`${world.url}/workflows/greet-guest`);
      await page.getByRole("tab", { name: "Versions" }).click();
      await page.getByRole("table", { name: "Grants" }).waitFor();
      await lookAt(page);
    }
  });

  it("breaks no rule of the content security policy, and throws nothing", () => {
    for (const { complaints } of Object.values(viewers))
      expect(complaints.filter((text) => !/status of 4\d\d|Invalid keyframe value/.test(text))).toEqual([]);
  });
});
