import { boardsClient, staffClient, staffResource } from "@copper-kettle/standins";
import { spawn } from "node:child_process";
import { once } from "node:events";
import { join } from "node:path";
import type { Browser } from "playwright-core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { launch, signIn } from "./browser.js";
import { root } from "./kit.js";
import { OAuthWorld, signInAt } from "./oauth.kit.js";

describe("setting up OAuth, as people do it", () => {
  let it_: OAuthWorld;
  let browser: Browser;
  beforeAll(async () => {
    [it_, browser] = await Promise.all([OAuthWorld.start(), launch()]);
  });
  afterAll(async () => {
    await browser.close();
    await it_.close();
  });

  it("in the console: the redirect URI first, a incomplete draft, the secret, the sign-in; the run goes on", async () => {
    await it_.caller("read-board", "boards-marit", `${it_.boards.url}/boards/eyrie/posts`);
    const { page, complaints } = await signIn(browser, it_.world);
    await page.goto(`${it_.world.url}/add-credential`);
    await page.getByLabel("Name", { exact: true }).fill("boards-marit");
    await page.locator("main").getByRole("combobox").first().click();
    await page.getByRole("option", { name: /^oauth2/ }).click();
    await page.locator("main").getByRole("combobox").nth(2).click();
    await page.getByRole("option", { name: /^authorization code/ }).click();
    await page.getByText("First register this redirect URI").waitFor();
    expect(await page.getByLabel("Redirect URI").textContent()).toBe(`${it_.world.url}/oauth/callback`);
    await page.getByLabel("Issuer", { exact: true }).fill("identity");
    await page.getByLabel("Client id").fill(boardsClient.id);
    await page.getByLabel("Scopes, separated by spaces").fill("openid boards:read");
    await page.getByRole("button", { name: "Save" }).click();
    await page.getByText("must be an address that begins with").first().waitFor();
    await page.getByLabel("Issuer", { exact: true }).fill(it_.identity.url);
    await page.getByRole("button", { name: "Save" }).click();
    await page.getByText("Missing: clientSecret.").waitFor();
    await page.getByRole("button", { name: "Request sheet" }).click();
    await page.getByText("- the client secret, and the day on which it ends").waitFor();
    await page.getByLabel("Client secret").fill(` ${boardsClient.secret}`);
    await page.getByRole("button", { name: "Save" }).click();
    await page.getByText("Nobody has signed in yet.").waitFor();
    await page.getByText("no token yet").first().waitFor();

    const { id } = await it_.world.run("read-board");
    await it_.world.settled(id, ["waiting"]);
    await page.goto(`${it_.world.url}/`);
    await page.getByText("One run waits for it.").waitFor();
    await page.goto(`${it_.world.url}/runs/${id}`);
    await page.getByText("Waits for a sign-in with boards-marit").first().waitFor();
    await page.getByRole("link", { name: "Sign in on its page" }).click();
    await page.getByRole("button", { name: "Sign in", exact: true }).click();
    await page.getByRole("button", { name: "Refuse" }).click();
    await page.getByText("Nobody has consented to the requested scopes").first().waitFor();
    await page.getByRole("button", { name: "Sign in", exact: true }).click();
    await page.getByRole("button", { name: "Allow" }).click();
    await page.getByText("boards-marit is signed in as marit.").waitFor();
    await page.waitForURL(`${it_.world.url}/credentials/boards-marit`);
    expect(
      await page
        .getByRole("row", { name: /boards:read/ })
        .last()
        .textContent(),
    ).toContain("yesyes");
    expect((await it_.world.settled(id)).state).toBe("succeeded");
    expect(await page.content()).not.toContain(boardsClient.secret);
    expect(complaints.filter((text) => !/status of 4\d\d|Invalid keyframe|favicon/.test(text))).toEqual([]);
  });

  it("keeps what is not typed again: settings are changed without the secret", async () => {
    const { page } = await signIn(browser, it_.world);
    await page.goto(`${it_.world.url}/credentials/boards-marit`);
    const hosts = page.getByLabel("Hosts the credential may be sent to");
    // Facts first: what is edited is asked for, and can be left as it was.
    await page.getByRole("button", { name: "Edit", exact: true }).click();
    await hosts.fill("elsewhere.example");
    await page.getByRole("button", { name: "Cancel" }).click();
    await hosts.waitFor({ state: "detached" });
    await page.getByRole("button", { name: "Edit", exact: true }).click();
    expect(await hosts.inputValue()).not.toBe("elsewhere.example");
    expect(await page.getByLabel("Audience").count()).toBe(0);
    await page.getByRole("button", { name: "Endpoints, audience, more parameters" }).click();
    await page.getByLabel("Audience").waitFor();
    await hosts.fill("127.0.0.1");
    await page.getByRole("button", { name: "Save" }).click();
    await page.getByText("Saved.").waitFor();
    await hosts.waitFor({ state: "detached" });
    expect(await it_.detail("boards-marit")).toMatchObject({
      state: "ready",
      hosts: ["127.0.0.1"],
      token: {},
    });
    await page.getByRole("button", { name: "Check now" }).click();
    await page.getByText(/A token was given for marit/).waitFor();
    await page.getByRole("button", { name: "Delete token" }).click();
    await page.getByRole("alertdialog").getByRole("button", { name: "Delete token" }).click();
    await page.getByText("The tokens are deleted.").waitFor();
    expect((await it_.detail("boards-marit")).state).toBe("sign-in");
  });

  it("by the command line: add, check, show, sign in, forget", async () => {
    const world = it_.world;
    const added = await world.ckettle(
      [
        ...["credential", "add", "staff-cli", "--kind", "oauth2", "--grant", "client-credentials"],
        ...["--issuer", it_.identity.url, "--client-id", staffClient.id, "--audience", staffResource],
        ...["--scope", "staff:read", "--scope", "staff:write"],
      ],
      `${staffClient.secret}\n`,
    );
    expect(added).toMatchObject({ code: 0, out: "staff-cli: will send header Authorization: Bearer •••\n" });
    expect(await world.ckettle(["credential", "check", "staff-cli"])).toMatchObject({
      code: 0,
      out: expect.stringMatching(
        /^A token was given for staff-robot, valid until .*staff:read staff:write\.\n$/,
      ),
    });
    const shown = (await world.ckettle(["credential", "show", "staff-cli"])).out;
    expect(shown).toContain("staff:read (granted)");
    expect(shown).not.toContain(staffClient.secret);
    // The command prints a link first; a person opens it.
    const waiting = spawn(
      process.execPath,
      [join(root, "cli/bin/ckettle.cjs"), "credential", "sign-in", "boards-marit"],
      { env: { ...process.env, COPPER_KETTLE_DATA: world.folder } },
    );
    let said = "";
    waiting.stderr.on("data", (piece: Buffer) => (said += piece.toString()));
    const ended = once(waiting, "exit");
    const [link] = (await once(waiting.stdout, "data")) as [Buffer];
    expect(await signInAt(link.toString().trim(), "allow")).toContain("is signed in as marit");
    expect(await ended).toEqual([0, null]);
    expect(said).toContain("boards-marit is signed in as marit.");
    expect((await world.ckettle(["credential", "forget-token", "boards-marit"])).err).toContain(
      "Deleted the tokens",
    );
    for (const [args, words] of [
      [["--kind", "oauth2"], "needs --grant"],
      [["--kind", "oauth2", "--grant", "client-credentials", "--parameter", "x"], "name=value"],
      [["--kind", "mutual-tls"], "--certificate FILE and --key FILE"],
    ] as const)
      expect(await world.ckettle(["credential", "add", "x", ...args], "s\n")).toMatchObject({
        code: 2,
        err: expect.stringContaining(words),
      });
  });
});
