import { routes } from "@copper-kettle/contract";
import type { Browser, Page } from "playwright-core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { launch, signIn } from "./browser.js";
import { until, World } from "./kit.js";

const file = (note: string): string =>
  `copper-kettle: 1\nname: shared-draft\nsteps:\n  - { step: a, request: "GET \${constants.stays}/guests", using: stays-key }\n  - { step: b, note: ${note} }\n`;

describe("the console keeps people from losing what is theirs", () => {
  let world: World;
  let browser: Browser;
  let page: Page;
  beforeAll(async () => {
    world = await World.start();
    await world.publish(file("one"));
    browser = await launch();
    ({ page } = await signIn(browser, world));
  });
  afterAll(async () => {
    await browser.close();
    await world.close();
  });

  const params = { name: "shared-draft" };
  const draft = async (): Promise<string> => (await world.client.call(routes.workflow, { params })).text;
  const text = () => page.getByLabel("The workflow file");
  const openText = async (): Promise<void> => {
    await page.getByRole("button", { name: "Text", exact: true }).click();
    await text().waitFor();
  };
  const type = async (from: string, to: string): Promise<void> => {
    await text().getByText(`note: ${from}`).click();
    await page.keyboard.press("End");
    for (let count = 0; count < `${from} }`.length; count++) await page.keyboard.press("Backspace");
    await page.keyboard.type(`${to} }`);
  };
  const conflict = () => page.getByRole("alert", { name: "Changed by somebody else" });
  const push = (note: string) =>
    world.client.call(routes.pushWorkflow, { params, body: { text: file(note) } });

  it("a text that began from an older draft is not kept over a newer one, not even after a reload", async () => {
    await page.goto(`${world.url}/workflows/shared-draft`);
    await openText();
    await push("theirs");
    await type("one", "mine");
    await conflict().getByText("- { step: b, note: theirs }").waitFor();
    expect(await draft()).toBe(file("theirs"));
    await page.reload();
    await conflict().getByText("- { step: b, note: mine }").waitFor();
    await page.keyboard.press("Control+s");
    expect(await draft()).toBe(file("theirs"));
  });

  it("shows what differs, and goes on with either, as somebody says", async () => {
    await conflict().getByRole("button", { name: "Keep mine, replace theirs" }).click();
    await page.getByText(/· saved \d/).waitFor();
    expect(await draft()).toBe(file("mine"));
    await openText();
    await push("newest");
    await type("mine", "again");
    await conflict().getByRole("button", { name: "Take theirs, discard mine" }).click();
    await text().getByText("note: newest").waitFor();
    await conflict().waitFor({ state: "detached" });
    expect(await draft()).toBe(file("newest"));
    // What was discarded comes back with undo, and is then what is saved.
    await page.getByRole("button", { name: "Undo" }).click();
    await text().getByText("note: again").waitFor();
    await until(async () => (await draft()) === file("again"), "the draft is what undo brought back");
  });

  it("keeps what is typed while the service is away, through a crash of the tab, and saves it when it is back", async () => {
    const port = new URL(world.url).port;
    await world.end("SIGKILL");
    await type("again", "typed in the dark");
    await page.getByText("not saved: the service does not respond").waitFor();
    // Another tab has it, too: the first is gone.
    const tab = await page.context().newPage();
    await page.close();
    page = tab;
    world.env["COPPER_KETTLE_PORT"] = port;
    await world.serve();
    await page.goto(`${world.url}/workflows/shared-draft`);
    await until(async () => (await draft()) === file("typed in the dark"), "what was typed is saved");
  });

  it("a credential is removed only after it was said who uses it", async () => {
    await page.goto(`${world.url}/credentials/stays-key`);
    await page.getByRole("button", { name: "Remove credential" }).click();
    const dialog = page.getByRole("alertdialog");
    await dialog.getByText("Calls of shared-draft use it. They fail until").waitFor();
    await dialog.getByRole("button", { name: "Cancel" }).and(page.locator(":focus")).waitFor();
    await page.keyboard.press("Enter"); // what is focused takes nothing away
    await dialog.waitFor({ state: "hidden" });
    const exists = async (): Promise<boolean> =>
      (await world.client.call(routes.listCredentials)).credentials.some(({ name }) => name === "stays-key");
    expect(await exists()).toBe(true);
    expect(await world.ckettle(["credential", "remove", "stays-key"])).toMatchObject({
      code: 2,
      err: expect.stringContaining("is used by shared-draft"),
    });
    await page.getByRole("button", { name: "Remove credential" }).click();
    await dialog.getByRole("button", { name: "Remove credential" }).click();
    await page.getByText("stays-key is removed.").waitFor();
    expect(await exists()).toBe(false);
  });

  it("what is pasted to describe an API lies in no storage of the browser", async () => {
    await page.goto(`${world.url}/add-api`);
    await page
      .getByRole("textbox")
      .first()
      .fill("curl https://stays.example/guests -H 'Authorization: Bearer hut-secret-1234'");
    await page.getByText("GET").first().waitFor();
    const stored = await page.evaluate("JSON.stringify([{ ...sessionStorage }, { ...localStorage }])");
    expect(stored).not.toContain("hut-secret");
  });

  it("the command line says which revision a draft has, and refuses a change of an older one", async () => {
    const pulled = await world.ckettle(["workflow", "pull", "shared-draft"]);
    const revision = /--base (\d+)/.exec(pulled.err)?.[1] as string;
    const push = (text: string, base: string) =>
      world.ckettle(["workflow", "push", "-", "--base", base], text);
    expect((await push(file("pushed"), revision)).code).toBe(0);
    expect(await push(file("late"), revision)).toMatchObject({
      code: 2,
      err: expect.stringContaining("was changed since it was read"),
    });
    expect(await draft()).toBe(file("pushed"));
  });
});
