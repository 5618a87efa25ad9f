import { routes } from "@copper-kettle/contract";
import { depot, depotPassword, depotUser, startStandIn, stays, type StandIn } from "@copper-kettle/standins";
import type { Browser, Page } from "playwright-core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { choose, launch, signIn } from "./browser.js";
import { Authority } from "./certificates.kit.js";
import { World } from "./kit.js";

describe("network and logins in the console", () => {
  const authority = new Authority("Larkspur authority");
  let world: World;
  let browser: Browser;
  let page: Page;
  let far: StandIn;
  let yard: StandIn;
  beforeAll(async () => {
    const { certificate, privateKey } = authority.make("stays.larkspur.example");
    far = await startStandIn(stays(), 0, { cert: certificate, key: privateKey });
    yard = await startStandIn(depot());
    const allow = [far.url, yard.url].map((url) => new URL(url).host).join(",");
    [world, browser] = await Promise.all([
      World.start({ env: { COPPER_KETTLE_ALLOW_ADDRESSES: allow } }),
      launch(),
    ]);
    ({ page } = await signIn(browser, world));
  });
  afterAll(async () => {
    await browser.close();
    await world.close();
    await Promise.all([far.close(), yard.close()]);
  });
  const open = async (path: string): Promise<void> => void (await page.goto(world.url + path));

  it("trusts an authority for a host, and shows what is met there before and after", async () => {
    const { host } = new URL(far.url);
    await open("/settings");
    await page.getByRole("link", { name: "Network" }).click();
    await page.getByText("Every host is reached directly.").waitFor();
    const check = async (): Promise<void> => {
      await page.getByLabel("Address", { exact: true }).fill(far.url);
      await page.getByRole("button", { name: "Check" }).click();
    };
    await check();
    await page.getByText("The certificate is not trusted").waitFor();
    await page.getByText("CN=stays.larkspur.example").waitFor();
    await page.getByLabel("Host", { exact: true }).fill(host);
    await page.getByLabel("Authorities to trust besides the usual ones, in PEM").fill("no certificate");
    await page.getByRole("button", { name: "Save" }).click();
    await page.getByText("There is no certificate in this text").waitFor();
    await page.getByLabel("Authorities to trust besides the usual ones, in PEM").fill(authority.pem);
    await choose(page, "TLS version", "1.3");
    await page.getByRole("button", { name: "Save" }).click();
    await page.getByText(`Saved for ${host}.`).waitFor();
    await page.getByText("trusts CN=Larkspur authority").waitFor();
    await check();
    await page.getByText("Calls can use this connection.").waitFor();
    await page.getByRole("button", { name: "Edit" }).click();
    await page.getByRole("heading", { name: `Edit: ${host}` }).waitFor();
    const { networks } = await world.client.call(routes.networks);
    expect(networks).toMatchObject([{ scope: "host", name: host, tls: "1.3" }]);
    await page.getByRole("button", { name: "Remove" }).click();
    await page
      .getByRole("dialog")
      .getByRole("button", { name: /Remove/ })
      .click();
    await page.getByText(`Removed for ${host}.`).waitFor();
  });

  it("adds a login, says at its field what is wrong, and shows its last exchange masked", async () => {
    const { host } = new URL(yard.url);
    await open("/add-credential");
    await page.getByLabel("Name", { exact: true }).fill("yard");
    await choose(page, "Kind", "login");
    await page.getByLabel("Secret", { exact: true }).nth(0).fill(depotUser);
    await page.getByLabel("Secret", { exact: true }).nth(1).fill(depotPassword);
    await page.getByLabel("Login request").fill("POST /session");
    await page.getByLabel("Token", { exact: true }).fill("body.session.key");
    await choose(page, "Calls carry it in", "header");
    await page.getByLabel("Name in that place").fill("X-Session");
    await page.getByLabel("Hosts the credential may be sent to").fill(host);
    await page.getByRole("button", { name: "Save" }).click();
    await page.getByText("with its host written out").waitFor();
    await page.getByLabel("Login request").fill(`POST ${yard.url}/session`);
    await page.getByRole("button", { name: "Save" }).click();
    await page.waitForURL(/\/credentials\/yard/);
    await page.getByRole("button", { name: "Check now" }).click();
    await page.getByText("The login gave a token, which is used until it is refused.").waitFor();
    await page.getByText("Exchange, its values masked").click();
    await page.getByText('{"user":"•••","password":"•••"}').waitFor();
    expect(await page.content()).not.toContain(depotPassword);
  });
});
