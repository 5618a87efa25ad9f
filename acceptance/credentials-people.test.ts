import {
  depot,
  depotUser,
  startStandIn,
  tanks,
  tanksSecret,
  tanksToken,
  type StandIn,
} from "@copper-kettle/standins";
import { mkdtemp, rm, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { Browser } from "playwright-core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { routes } from "@copper-kettle/contract";
import { launch, signIn } from "./browser.js";
import { tanksScheme as scheme, World } from "./kit.js";

describe("credentials, as people set them up,", () => {
  let world: World;
  let far: { depot: StandIn; tanks: StandIn };
  let folder: string;
  let browser: Browser;
  beforeAll(async () => {
    far = { depot: await startStandIn(depot()), tanks: await startStandIn(tanks()) };
    folder = await mkdtemp(join(tmpdir(), "ckettle-credentials-"));
    const env = {
      COPPER_KETTLE_ALLOW_ADDRESSES: [far.depot, far.tanks].map(({ url }) => new URL(url).host).join(","),
    };
    [world, browser] = await Promise.all([World.start({ demo: false, env }), launch()]);
  });
  afterAll(async () => {
    await browser.close();
    await world.close();
    await Promise.all([far.depot.close(), far.tanks.close()]);
    await rm(folder, { recursive: true });
  });

  it("are added, checked and refused by the command line too", async () => {
    const file = join(folder, "tanks.yaml");
    await writeFile(
      file,
      `base: ${JSON.stringify(scheme.base)}\nsignature: ${scheme.signature}\nheaders: ${JSON.stringify(scheme.headers)}\n`,
    );
    const signed = await world.ckettle(
      [
        "credential",
        "add",
        "cli-signed",
        "--kind",
        "signed",
        "--scheme",
        file,
        "--secret",
        "token",
        "--secret",
        "key",
      ],
      `${tanksToken}\n${tanksSecret}\n`,
    );
    expect(signed).toMatchObject({ code: 0, out: expect.stringContaining("X-Signature: ${signature}") });
    expect(
      await world.ckettle(["credential", "check", "cli-signed", "--call", `${far.tanks.url}/tanks`]),
    ).toMatchObject({ code: 0, out: expect.stringMatching(/^Accepted.*X-Signature: •••/) });
    const basic = await world.ckettle(
      ["credential", "add", "cli-basic", "--kind", "basic", "--user", depotUser],
      "wrong\n",
    );
    expect(basic).toMatchObject({ code: 0, out: "cli-basic: will send header Authorization: Basic •••\n" });
    expect(
      await world.ckettle(["credential", "check", "cli-basic", "--call", `${far.depot.url}/orders`]),
    ).toMatchObject({ code: 1, out: expect.stringContaining("mistyped") });
    for (const [args, words] of [
      [["--kind", "basic"], "--user"],
      [
        ["--kind", "basic", "--user", "u", "--authority", "ca.pem"],
        "is for mutual-tls and oauth2, and not for basic",
      ],
      [["--kind", "signed"], "--scheme"],
      [["--kind", "magic"], 'not "magic"'],
      [["--kind", "api-key", "--part", "wall:x"], "place:name"],
    ] as const) {
      expect(await world.ckettle(["credential", "add", "x", ...args], "s\n")).toMatchObject({
        code: 2,
        err: expect.stringContaining(words),
      });
    }
  });

  it("are added with a form, checked with a button, and removed", async () => {
    const { page, complaints } = await signIn(browser, world);
    await page.goto(`${world.url}/credentials`);
    await page.getByRole("link", { name: "Add a credential" }).click();
    await page.getByRole("button", { name: "Save" }).click();
    await page.getByText("Give the credential a name.").waitFor();
    await page.getByLabel("Name", { exact: true }).fill("from-console");
    await page.getByLabel("Token", { exact: true }).fill("  ");
    await page.getByRole("button", { name: "Save" }).click();
    await page.getByText("The secret is empty.").waitFor();
    await page.getByLabel("Token", { exact: true }).fill('Bearer "sk-console-1234"');
    await page.getByRole("button", { name: "Save" }).click();
    await page.getByText("Saved. Removed from the secret").waitFor();
    await page.getByRole("heading", { name: "from-console" }).waitFor();
    await page.getByLabel("An address that wants this credential").fill(`${far.depot.url}/orders`);
    await page.getByRole("button", { name: "Check now" }).click();
    await page.getByText("The API expects ").waitFor();
    await page.getByRole("button", { name: "Remove credential" }).click();
    const dialog = page.getByRole("alertdialog");
    await dialog.getByText("No workflow uses this credential.").waitFor();
    await dialog.getByRole("button", { name: "Remove credential" }).click();
    await page.getByText("from-console is removed.").waitFor();
    expect(complaints.filter((text) => !/status of 4\d\d|Invalid keyframe/.test(text))).toEqual([]);
    expect(await page.content()).not.toContain("sk-console-1234");
  });

  it("have a form for each kind", async () => {
    const { page } = await signIn(browser, world);
    await page.goto(`${world.url}/add-credential`);
    for (const [kind, label] of [
      ["basic", "Password"],
      ["digest", "Password"],
      ["api-key", "Key"],
      ["mutual-tls", "Certificate (PEM)"],
      ["oauth2", "Client secret"],
      ["signed", "What is signed"],
    ] as const) {
      await page.locator("main").getByRole("combobox").first().click();
      await page.getByRole("option", { name: new RegExp(`^${kind} –`) }).click();
      await page.getByLabel(label, { exact: true }).first().waitFor();
    }
    await page.getByLabel("Name", { exact: true }).fill("form-signed");
    await page.getByLabel("Secret", { exact: true }).fill("k-12345678");
    await page
      .getByLabel("Signature (an expression over base and secret.NAME)")
      .fill("hmacSha256(secret.kye, base)");
    await page.getByRole("button", { name: "Save" }).click();
    await page.getByText('it has "key"').waitFor();
    // What is not good is not taken.
    const { credentials } = await world.client.call(routes.listCredentials);
    expect(credentials.map(({ name }) => name)).not.toContain("form-signed");
  });
});
