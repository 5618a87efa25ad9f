import { routes } from "@copper-kettle/contract";
import type { Browser, Page } from "playwright-core";
import { afterAll, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { launch, signIn } from "./browser.js";
import { arrived, faults, reset, World } from "./kit.js";

describe("the console", () => {
  let world: World;
  let browser: Browser;
  let page: Page;
  let complaints: string[];
  beforeAll(async () => {
    [world, browser] = await Promise.all([World.start(), launch()]);
    await world.publishExample("greet-guest");
    await world.publishExample("hut-round");
    ({ page, complaints } = await signIn(browser, world));
  });
  beforeEach(() => reset(world.stays, world.boards));
  afterAll(async () => {
    await browser.close();
    await world.close();
  });
  const open = async (path: string): Promise<void> => void (await page.goto(world.url + path));

  it("shows the first steps while there is something to do first", async () => {
    await open("/");
    await page.getByText("First steps").waitFor();
    await page.getByRole("button", { name: "all" }).click();
    await page.getByRole("link", { name: "Start a run" }).waitFor();
    expect((await world.client.call(routes.home)).firstSteps).toMatchObject({ runs: 0 });
  });

  it("takes the code of the sign-in link out of the address, and lets nobody in without one", async () => {
    const stranger = await (await browser.newContext()).newPage();
    await stranger.goto(world.url);
    await stranger.getByText("ckettle status --link").first().waitFor();
    await stranger.goto(`${world.url}/sign-in#code=wrong`);
    await stranger.getByText("A link works once").waitFor();
    expect(stranger.url()).toBe(`${world.url}/sign-in`);
  });

  it("starts a run from the form made of its inputs, and shows it live to its end", async () => {
    await open("/workflows");
    await page.getByText("Greet a guest").click();
    await page.getByRole("tab", { name: "Start" }).click();
    await page.getByRole("button", { name: "Start run" }).click();
    await page.getByText("Guest e-mail is required.").waitFor();
    await page.getByLabel("Guest e-mail").fill("nobody");
    await page.getByRole("button", { name: "Start run" }).click();
    await page.getByText('"email" must match format "email".').waitFor();
    await page.getByLabel("Guest e-mail").fill("tobias@alpha.example");
    await page.getByRole("button", { name: "Start run" }).click();
    await page.waitForURL(/\/runs\//);
    await page.getByText("succeeded", { exact: true }).first().waitFor();
    expect((await arrived(world.stays, "POST"))[0]?.body).toEqual({ email: "tobias@alpha.example" });
    await page.locator(".step").filter({ hasText: "made" }).click();
    const detail = page.getByLabel("Step made");
    await detail.getByText(`POST ${world.stays.url}/guests`).waitFor();
    await detail.getByText("Bearer •••").waitFor();
    await detail.getByText("201").first().waitFor();
    await detail.getByText('"g-3"').waitFor();
  });

  it("draws attempts and waits as bars, and folds a loop into one cell an item", async () => {
    const { id } = await world.run("hut-round", { message: "hi" });
    await open(`/runs/${id}`);
    await page.getByText("succeeded", { exact: true }).first().waitFor();
    await page.locator(".cell.succeeded").nth(11).waitFor();
    const entries = await world.entries(id);
    const throttled = entries.find((entry) => entry["wait"] !== undefined)?.["path"] as string;
    const index = Number(/\[(\d+)\]/.exec(throttled)?.[1]);
    await page.getByLabel(`Item ${index}: succeeded`).click();
    await page
      .locator(".step")
      .filter({ has: page.getByText("post", { exact: true }) })
      .waitFor();
    expect(await page.locator(".bar.backing-off").count()).toBeGreaterThan(0);
    expect(await page.locator(".bar.bad").count()).toBeGreaterThan(0);
    await page
      .locator(".step")
      .filter({ has: page.getByText("post", { exact: true }) })
      .click();
    await page.getByRole("button", { name: "attempt 1: 429" }).click();
    await page.getByText("retry-after:").waitFor();
  });

  it("begins a failure with a sentence that says which call, and what it answered", async () => {
    await faults(world.stays, [{ status: 403, body: { message: "The office is closed." } }]);
    const { id } = await world.run("greet-guest", { email: "odd@huts.example" });
    await open(`/runs/${id}`);
    await page.getByText("Step guest failed").waitFor();
    const alert = page.getByRole("alert").filter({ hasText: "403 (Forbidden) from" });
    // Once on the page, with what it most likely means.
    await alert.getByText("Perhaps the credential stays-key lacks a right").waitFor();
    expect(await alert.count()).toBe(1);
    await open("/");
    await page
      .getByLabel("Needs you")
      .getByRole("listitem")
      .filter({ hasText: "The office is closed." })
      .getByRole("link", { name: "Open" })
      .click();
    await page.waitForURL(`${world.url}/runs/${id}`);
  });

  it("asks a person about an unsure call, and goes on as they decide", async () => {
    await faults(world.stays, [{ method: "POST", times: 1, drop: "after" }]);
    const { id } = await world.run("greet-guest", { email: "ines@alpha.example" });
    await open(`/runs/${id}`);
    await page.getByText("We cannot tell whether").waitFor();
    // What was sent stands there, with what the credential added.
    const detail = page.getByLabel("Step made");
    await detail.getByText(`POST ${world.stays.url}/guests`).waitFor();
    await detail.getByText("Bearer •••").waitFor();
    const card = page.getByLabel("Decide about made");
    await card.getByText("it has no idempotency key").waitFor();
    await card.getByText("fresh reads what it gives").waitFor();
    // What the API says now: the step that looked before is asked again, and its answer taken over.
    await card.getByRole("button", { name: "Ask now" }).click();
    await card.getByRole("button", { name: "Take this as its response" }).click();
    const response = card.getByLabel("The API's response, if you know it");
    await expect
      .poll(() => response.inputValue(), { timeout: 20_000 })
      .toContain('"email": "ines@alpha.example"');
    await response.fill("{broken");
    await card.getByRole("button", { name: "Continue the run" }).click();
    await card.getByText("The response is not JSON").waitFor();
    await response.fill('{ "status": 201, "body": { "id": "g-3" } }');
    await card.getByRole("button", { name: "Continue the run" }).click();
    await page.getByText("succeeded", { exact: true }).first().waitFor();
    expect(await arrived(world.stays, "POST")).toHaveLength(1);
    expect((await world.settled(id)).response?.body).toMatchObject({ id: "g-3" });
  });

  it("stops a run", async () => {
    await faults(world.stays, [{ method: "GET", latency: 20_000 }]);
    const { id } = await world.run("greet-guest", { email: "odd@huts.example" });
    await open(`/runs/${id}`);
    await page.getByRole("button", { name: "Stop now" }).click();
    await page.getByText("stopped", { exact: true }).first().waitFor();
    expect((await world.settled(id)).state).toBe("stopped");
  });

  it("marks problems while the file is typed, keeps it as a draft, and publishes it when it is good", async () => {
    const good = "copper-kettle: 1\nname: typed\ntitle: Typed\nsteps:\n  - { step: a, note: hello }\n";
    await world.publish(good);
    await open("/workflows/typed");
    await page.getByRole("button", { name: "Text", exact: true }).click();
    const editor = page.getByLabel("The workflow file");
    await editor.click();
    await page.keyboard.press("Control+End");
    await page.keyboard.type("  - { step: b, not: x }\n");
    await page.getByText('There is no step kind "not"').first().waitFor();
    expect(await page.getByRole("button", { name: "Publish …" }).isDisabled()).toBe(true);
    // It is saved by itself, and is still there after a reload.
    await page.getByText(/· saved \d/).waitFor();
    await page.reload();
    await page.getByText('There is no step kind "not"').first().waitFor();
    await page.getByText("Draft, differs from version 1").waitFor();
    expect((await world.client.call(routes.workflow, { params: { name: "typed" } })).problems).toBe(1);
    await page.getByRole("button", { name: "Text", exact: true }).click();
    await editor.click();
    await page.keyboard.press("Control+A");
    await page.keyboard.insertText(`${good}  - { step: b, note: x }\n`);
    await page.getByRole("button", { name: "Publish …" }).click();
    await page.getByLabel("Publish", { exact: true }).getByText("+  - { step: b, note: x }").waitFor();
    await page.getByRole("button", { name: "Publish", exact: true }).click();
    await page.getByText("Version 2 is in force").waitFor();
    expect(
      (await world.client.call(routes.workflow, { params: { name: "typed" } })).outline.map(
        (step) => step.name,
      ),
    ).toEqual(["a", "b"]);
  });

  it("filters runs by an address that can be sent to a colleague", async () => {
    await world.settled((await world.run("typed")).id);
    await open("/runs?workflow=typed&state=succeeded");
    await page.locator("tbody tr").first().waitFor();
    expect(await page.locator("tbody tr").count()).toBe(1);
    await page.getByRole("textbox", { name: "Id or error text" }).fill("nothing-like-it");
    await page.getByText("No runs found.").waitFor();
    expect(page.url()).toContain("text=nothing-like-it");
  });

  it("keeps the tab of a workflow in its address", async () => {
    const tab = (name: string) => page.getByRole("tab", { name, exact: true });
    await open("/workflows/greet-guest");
    await tab("Versions").click();
    await page.waitForURL(/\/greet-guest\?tab=versions$/);
    await page.reload();
    await page.getByRole("table", { name: "Grants" }).waitFor();
    expect(await tab("Versions").getAttribute("aria-selected")).toBe("true");
    await tab("Build").click();
    await page.waitForURL(/\/greet-guest$/);
    await open("/workflows/greet-guest?tab=nothing");
    await page.getByRole("treeitem", { name: /step post, / }).waitFor();
  });

  it("changes between light and dark, and remembers it", async () => {
    await open("/");
    const ground = () =>
      page.evaluate(
        () => getComputedStyle(document.querySelector(".v-application") as Element).backgroundColor,
      );
    const before = await ground();
    await page.getByRole("button", { name: /^Account/ }).click();
    await page.getByText(/^(Dark|Light) theme$/).click();
    expect(await ground()).not.toBe(before);
    const after = await ground();
    await page.reload();
    await page.getByText("Runs over the last day").waitFor();
    expect(await ground()).toBe(after);
  });

  it("has room for an expression in each field of the editor at 390 px, and beside the text at 1280 px", async () => {
    const small = await signIn(browser, world, { width: 390, height: 800 });
    for (const viewer of [page, small.page]) {
      await viewer.goto(`${world.url}/workflows/greet-guest`);
      await viewer.getByRole("treeitem", { name: /step post, / }).click();
      if (viewer === page) await viewer.getByLabel("text beside it").check();
      const fields = viewer.locator(".exchange .code:has(.cm-content)");
      await fields.nth(1).waitFor();
      for (const field of await fields.all())
        expect((await field.locator(".place").boundingBox())?.width).toBeGreaterThan(150);
    }
  });

  it("breaks no rule of its own content security policy, and throws nothing", () => {
    expect(complaints.filter((text) => !/status of 4\d\d|Invalid keyframe value/.test(text))).toEqual([]);
  });
});
