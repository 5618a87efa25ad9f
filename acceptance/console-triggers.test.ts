import { routes } from "@copper-kettle/contract";
import type { Browser, Page } from "playwright-core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { launch, signIn } from "./browser.js";
import { World } from "./kit.js";

describe("the tab Triggers", () => {
  let world: World;
  let browser: Browser;
  let page: Page;
  let complaints: string[];
  beforeAll(async () => {
    [world, browser] = await Promise.all([World.start(), launch()]);
    await world.client.call(routes.pushWorkflow, {
      params: { name: "hooked" },
      body: {
        text: `copper-kettle: 1
name: hooked
inputs: { type: object, properties: { guest: { type: string } } }
triggers:
  told: { webhook: { path: told, verify: none }, inputs: { guest: "\${trigger.body.guest}" } }
  nightly: { schedule: { cron: "0 5 * * *", zone: Europe/Vienna }, inputs: { guest: nobody } }
steps: [{ step: reply, respond: { body: { hello: "\${inputs.guest}" } } }]
`,
      },
    });
    ({ page, complaints } = await signIn(browser, world));
    await page.goto(`${world.url}/workflows/hooked`);
    await page.getByRole("tab", { name: "Triggers" }).click();
  });
  afterAll(async () => {
    await browser.close();
    await world.close();
  });
  const button = (name: string | RegExp) => page.getByRole("button", { name });
  const panel = () => page.locator("section.triggers");

  it("waits for a delivery to the draft, shows it, keeps it, and sends another one like it", async () => {
    await button("Wait for a delivery to the draft").click();
    const address = await page.getByLabel("Address of the draft").textContent();
    await fetch(address ?? "", {
      method: "POST",
      headers: { "Content-Type": "application/json" },
      body: JSON.stringify({ guest: "odd" }),
    });
    const events = page.getByRole("list", { name: "Events" });
    await events.getByText('"odd"').waitFor();
    await button("Save as sample").click();
    await panel().getByText("Saved as the sample of told").waitFor();
    await events.getByText("sample", { exact: true }).waitFor();
    await button("Change and send to the draft").click();
    const made = page.getByLabel("What it brings (JSON)");
    await made.fill("{ guest: }");
    await button("Send it").click();
    await panel()
      .getByText(/This is not JSON/)
      .waitFor();
    await made.fill('{ "body": { "guest": "ines" } }');
    await button("Send it").click();
    await events.getByText("made up").waitFor();
    await events.getByRole("link", { name: "started" }).first().click();
    await page.waitForURL(/\/runs\//);
    const id = new URL(page.url()).pathname.split("/").at(-1) as string;
    expect((await world.settled(id)).response?.body).toEqual({ hello: "ines" });
    await page.goto(`${world.url}/workflows/hooked`);
  });

  it("switches triggers, starts a schedule now, gives an address once and the calls of other programs", async () => {
    await world.client.call(routes.publishWorkflow, { params: { name: "hooked" } });
    await page.reload();
    await page.getByRole("tab", { name: "Triggers" }).click();
    const triggers = page.getByRole("list", { name: "Triggers", exact: true });
    await triggers.getByText(/At 05:00.*Next:/s).waitFor();
    await button("Start now").click();
    await panel()
      .getByText(/started/)
      .first()
      .waitFor();
    await button("Switch off: nightly").click();
    await button("Off. Switch on: nightly").waitFor();
    await button("New address").click();
    await panel()
      .getByText(/\/webhooks\/told\/[\w-]{20,}/)
      .waitFor();
    await button("For other programs").click();
    const calls = page.getByRole("region", { name: "For other programs" });
    await calls
      .getByText(/curl -sS -X POST/)
      .first()
      .waitFor();
    await page.reload();
    await page.getByRole("tab", { name: "Triggers" }).click();
    await triggers.getByText("The rest was shown once.").waitFor();
    expect(complaints).toEqual([]);
  });

  it("shows what the last looks of a poll sent and got", async () => {
    await world.publish(`copper-kettle: 1
name: guests
triggers:
  new: { poll: { request: "GET \${constants.stays}/guests", using: stays-key, every: 1h, items: body.items, id-of: item.id } }
steps: [{ step: a, note: seen }]
`);
    await page.goto(new URL("/workflows/guests", page.url()).href);
    await page.getByRole("tab", { name: "Triggers" }).click();
    await panel()
      .getByText(/Looked .*: \d+ items/)
      .waitFor();
    await button("Last looks").click();
    const looks = page.getByRole("list", { name: "Last looks of new" });
    await looks.getByText(`GET ${world.stays.url}/guests: 200`).waitFor();
    await looks.getByText("content-type").waitFor();
    expect(await looks.getByRole("listitem").count()).toBe(1);
    expect(complaints).toEqual([]);
  });
});
