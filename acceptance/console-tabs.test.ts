import { routes } from "@copper-kettle/contract";
import type { Browser, Page } from "playwright-core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { launch, signIn } from "./browser.js";
import { faults, until, World } from "./kit.js";

describe("several tabs, and a service that goes away", () => {
  let world: World;
  let browser: Browser;
  let page: Page;
  beforeAll(async () => {
    [world, browser] = await Promise.all([World.start(), launch()]);
    ({ page } = await signIn(browser, world));
    await world.publish(
      `copper-kettle: 1\nname: quick\nsteps:\n  - { step: a, set: { x: 1 } }\n  - { step: b, note: "\${variables.x}" }\n`,
    );
    await world.publish(
      `copper-kettle: 1\nname: nap\nsteps:\n  - { step: a, wait: { for: 1h } }\n  - { step: b, note: done }\n`,
    );
  });
  afterAll(async () => {
    await browser.close();
    await world.close();
  });

  it("ten run pages are open at once, each reads on, and one stream serves them all", async () => {
    const { id } = await world.settled((await world.run("quick")).id);
    const nap = await world.run("nap");
    const pages: Page[] = [];
    let streams = 0;
    page.context().on("request", (request) => {
      if (request.url().endsWith("/events")) streams++;
    });
    for (let count = 0; count < 10; count++) {
      const tab = await page.context().newPage();
      pages.push(tab);
      await tab.goto(`${world.url}/runs/${count % 2 === 0 ? id : nap.id}`);
      await tab
        .getByText(count % 2 === 0 ? "succeeded" : "waiting")
        .first()
        .waitFor();
    }
    expect(streams).toBeLessThanOrEqual(1);
    await world.client.call(routes.stopRun, { params: { id: nap.id }, body: { how: "now" } });
    for (const tab of pages.filter((_, index) => index % 2 === 1))
      await tab.getByText("stopped").first().waitFor();
    // The tab that reads the stream goes: another one takes over.
    await page.close();
    const again = await world.run("nap");
    const tab = pages[1] as Page;
    await tab.goto(`${world.url}/runs/${again.id}`);
    await tab.getByText("waiting").first().waitFor();
    await world.client.call(routes.stopRun, { params: { id: again.id }, body: { how: "now" } });
    await tab.getByText("stopped").first().waitFor();
    page = tab;
    for (const other of pages) if (other !== page) await other.close();
    expect(await page.title()).toBe(`nap, run ${again.id} · Copper Kettle`);
  });

  it("says that the service is away, and reads everything anew when it is back", async () => {
    await page.goto(`${world.url}/runs`);
    await page.getByRole("heading", { name: "Runs" }).waitFor();
    const url = new URL(world.url);
    await world.end("SIGKILL");
    await page.getByText("The service does not respond").waitFor();
    // The code of this page was not read yet: it is, once the service is back.
    await page.getByRole("link", { name: "Settings" }).click();
    world.env["COPPER_KETTLE_PORT"] = url.port;
    await world.serve();
    await page.waitForURL(/\/settings$/);
    await page.getByText("The service does not respond").waitFor({ state: "detached" });
    await page.goto(`${world.url}/runs`);
    await page.getByText("quick").first().waitFor();
    await world.killAndServe();
    await world.publish(`copper-kettle: 1\nname: late\nsteps:\n  - { step: a, note: x }\n`);
    await world.run("late");
    await page.getByText("late").first().waitFor();
  });

  it("reads the code of a page again that could not be read though the service was there", async () => {
    await page.goto(`${world.url}/runs`);
    await page.getByRole("heading", { name: "Runs" }).waitFor();
    let asked = 0;
    await page.route(/\/assets\/HelpPage.*js/, (route) => (asked++ === 0 ? route.abort() : route.continue()));
    await page.getByRole("link", { name: "Help", exact: true }).click();
    await page.waitForURL(/\/help/);
    await page.getByRole("heading", { name: "Words" }).waitFor();
    expect(asked).toBeGreaterThan(1);
    expect(await page.getByText("The service does not respond").count()).toBe(0);
  });

  it("says so where the code of a page cannot be read at all, and does not try for ever", async () => {
    await page.goto(`${world.url}/runs`);
    await page.getByRole("heading", { name: "Runs" }).waitFor();
    let asked = 0;
    let isMissing = true;
    await page.route(/\/assets\/SettingsPage.*js/, (route) => {
      asked++;
      return isMissing ? route.abort() : route.continue();
    });
    await page.getByRole("link", { name: "Settings" }).click();
    await page.getByText("The code of this page cannot be read").waitFor();
    await page.waitForLoadState("networkidle");
    expect(asked).toBe(2);
    expect(await page.getByText("The service does not respond").count()).toBe(0);
    isMissing = false;
    await page.getByRole("button", { name: "Reload" }).click();
    await page.getByRole("heading", { name: "Service and retention" }).waitFor();
    expect(await page.getByText("The code of this page cannot be read").count()).toBe(0);
  });

  it("shows when the service was stopped while a run went on, and that nothing was sent again", async () => {
    const { id } = await world.run("nap");
    await page.goto(`${world.url}/runs/${id}`);
    await page.getByText("waiting").first().waitFor();
    await world.killAndServe();
    await page.goto(`${world.url}/runs/${id}`);
    const stops = page.getByRole("list", { name: "Stops of the service" });
    await stops.getByText(/^Service stopped .+, resumed .+; nothing that writes was sent again$/).waitFor();
    const shown = await world.ckettle(["run", "show", id]);
    expect(shown.out.match(/The service stopped .+, and resumed .+\./g)).toHaveLength(1);
    await world.client.call(routes.stopRun, { params: { id }, body: { how: "now" } });
    // A run behind it knows nothing of that.
    const later = await world.settled((await world.run("quick")).id);
    const { stops: none } = await world.client.call(routes.run, { params: { id: later.id } });
    expect(none).toEqual([]);
  });

  it("shows the items of a loop that failed first, and every other by page, by state and by number", async () => {
    await world.publish(`copper-kettle: 1
name: many
steps:
  - step: round
    each: lists.range(1000)
    if-one-fails: continue
    steps: [{ step: odd, note: "\${[1][item == 650 ? 7 : 0]}" }]
`);
    const { id } = await world.settled((await world.run("many")).id);
    await page.goto(`${world.url}/runs/${id}`);
    await page.getByText("1 problem").first().waitFor();
    const cells = page.locator(".cells .cell");
    expect(await cells.first().getAttribute("aria-label")).toBe("Item 650: failed");
    expect(await cells.count()).toBe(400);
    await page.getByRole("button", { name: "failed 1", exact: true }).click();
    await until(async () => (await cells.count()) === 1, "only the one that failed is shown");
    await cells.first().click();
    await page.getByText("No item 7").first().waitFor();
    await page.getByLabel("Go to item number").fill("999");
    await page.getByLabel("Go to item number").press("Enter");
    await page.getByText("3 of 3").waitFor();
    expect(await cells.count()).toBe(200);
    await page.getByLabel("Item 999: succeeded").waitFor();
    await page.goto(`${world.url}/runs?workflow=many`);
    await page.getByText("1 problem").waitFor();
  });

  it("shows who decided what about an unsure call, and that no response came", async () => {
    await world.publish(
      `copper-kettle: 1\nname: once\nsteps:\n  - { step: made, request: "POST \${constants.boards}/notes", using: boards-bot, body: { json: { text: hi } } }\n`,
    );
    await faults(world.boards, [{ method: "POST", path: "/notes", drop: "after", times: 1 }]);
    const { id } = await world.run("once");
    await until(
      async () => (await world.client.call(routes.run, { params: { id } })).state === "unsure",
      "the run is unsure",
    );
    await page.goto(`${world.url}/runs/${id}`);
    await page.getByText("No response came.").waitFor();
    await world.client.call(routes.decideRun, {
      params: { id },
      body: { decision: "happened", attempt: 1, outcome: { id: 3 } },
    });
    await page.getByText(/decided at .*: it happened\./).waitFor();
    await page.getByText("succeeded").first().waitFor();
  });
});
