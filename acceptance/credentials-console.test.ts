import { depot, startStandIn, type StandIn } from "@copper-kettle/standins";
import type { Browser } from "playwright-core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { launch, signIn } from "./browser.js";
import { World } from "./kit.js";

describe("credentials in the console", () => {
  let world: World;
  let far: { depot: StandIn };
  let browser: Browser;
  beforeAll(async () => {
    far = { depot: await startStandIn(depot()) };
    const env = { COPPER_KETTLE_ALLOW_ADDRESSES: new URL(far.depot.url).host };
    [world, browser] = await Promise.all([World.start({ demo: false, env }), launch()]);
  });
  afterAll(async () => {
    await browser.close();
    await world.close();
    await far.depot.close();
  });

  it("are added with a form, checked with a button, and removed", async () => {
    const { page, complaints } = await signIn(browser, world);
    await page.goto(`${world.url}/credentials`);
    await page.getByRole("button", { name: "Keep" }).click();
    await page.getByText("A name is needed").waitFor();
    await page.getByLabel("Name", { exact: true }).fill("from-console");
    await page.getByLabel("Token", { exact: true }).fill("  ");
    await page.getByRole("button", { name: "Keep" }).click();
    await page.getByText("The secret is empty.").waitFor();
    await page.getByLabel("Token", { exact: true }).fill('Bearer "sk-console-1234"');
    await page.getByRole("button", { name: "Keep" }).click();
    await page.getByText("from-console is kept. Taken off the secret").waitFor();
    await page.getByText("from-console", { exact: true }).click();
    await page.getByLabel("An address that wants this credential").fill(`${far.depot.url}/orders`);
    await page.getByRole("button", { name: "Check now" }).click();
    await page.getByText("The other side wants basic, and this credential is bearer.").waitFor();
    await page.getByRole("button", { name: "Remove", exact: true }).click();
    await page.getByText("from-console is removed.").waitFor();
    expect(complaints.filter((text) => !/status of 4\d\d|Invalid keyframe/.test(text))).toEqual([]);
    expect(await page.content()).not.toContain("sk-console-1234");
  });

  it("have a form for each kind", async () => {
    const { page } = await signIn(browser, world);
    await page.goto(`${world.url}/credentials`);
    for (const [kind, label] of [
      ["basic", "Password"],
      ["digest", "Password"],
      ["api-key", "Key"],
      ["signed", "What is signed"],
    ] as const) {
      await page.getByRole("combobox").first().click();
      await page.getByRole("option", { name: new RegExp(`^${kind} –`) }).click();
      await page.getByLabel(label, { exact: true }).first().waitFor();
    }
    await page.getByLabel("Name", { exact: true }).fill("form-signed");
    await page.getByLabel("Secret", { exact: true }).fill("k-12345678");
    await page
      .getByLabel("Signature (an expression over base and secret.NAME)")
      .fill("hmacSha256(secret.kye, base)");
    await page.getByRole("button", { name: "Keep" }).click();
    await page.getByText('it has "key"').waitFor();
  });
});
