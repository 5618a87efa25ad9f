import { createClient, routes } from "@copper-kettle/contract";
import { valueOfText } from "@copper-kettle/core";
import type { Browser, Page } from "playwright-core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { launch, signIn } from "./browser.js";
import { AtEditor } from "./editor.kit.js";
import { arrived, reset, until, World } from "./kit.js";

describe("values in the editor", () => {
  let world: World;
  let browser: Browser;
  let page: Page;
  let at: AtEditor;
  beforeAll(async () => {
    [world, browser] = await Promise.all([World.start({ demo: true }), launch()]);
    ({ page } = await signIn(browser, world));
    await world.describeStays();
    at = new AtEditor(page);
  });
  afterAll(async () => {
    await browser.close();
    await world.close();
  });
  const draft = async (name: string) =>
    valueOfText((await world.client.call(routes.workflow, { params: { name } })).text) as {
      steps: Record<string, unknown>[];
    };
  const pathInTree = (path: string) => page.locator(`.node .line:has(> button[title="Insert ${path}"])`);

  it("come from the API's document before anything has run, and say so", async () => {
    await page.goto(`${world.url}/add-workflow`);
    await at.begin("picking", "Picking");
    await at.add("end", "stays.listHuts");
    await at.name("huts");
    await at.add("end", "note");
    await at.name("told");
    await at.click(at.pane.getByRole("textbox", { name: "note", exact: true }));
    await page.getByRole("button", { name: "Values of huts" }).click();
    await page.getByText("A sample: the chosen run has no values of this step.").waitFor();
    await page.locator("button[title='Insert steps.huts.status']").click();
    await at.pane.locator(".value", { hasText: "200" }).waitFor();
    await at.press("Tab");
    await at.saved();
    expect((await draft("picking")).steps[1]).toEqual({ step: "told", note: "${steps.huts.status}" });
  });

  it("become a loop that does the rest of the steps, and one undoes that", async () => {
    const before = (await draft("picking")).steps;
    await pathInTree("steps.huts.body.items").hover();
    await page.getByRole("button", { name: "Do the rest for each" }).click();
    await at.step("eachHut").waitFor();
    await at.saved();
    expect((await draft("picking")).steps).toEqual([
      before[0],
      { step: "eachHut", each: "steps.huts.body.items", as: "hut", steps: [before[1]] },
    ]);
    await page.keyboard.press("Control+z");
    await at.step("eachHut").waitFor({ state: "detached" });
    await at.saved();
    expect((await draft("picking")).steps).toEqual(before);
  });

  it("become loops, conditions of success, and parts of what a loop collects", async () => {
    await pathInTree("steps.huts.body.items").hover();
    await page.getByRole("button", { name: "Each of these" }).click();
    await at.step("eachHut").waitFor();
    await at.add(at.step("eachHut"), "stays.listStays");
    await at.name("one");
    await at.field("hut", "${hut.id}");
    await at.field("success", "status < 300");
    await at.saved();
    // With values of a run: the items of the loop are chosen, and what reads them is worked out.
    await page.keyboard.press("Shift+F9");
    await at.step("eachHut").getByText("succeeded").waitFor();
    await at.click(at.step("one"));
    await at.pane.getByText('"ashlar"', { exact: true }).waitFor();
    await at.click(at.pane.getByRole("button", { name: "The next item of eachHut" }));
    await at.pane.getByText('"brackenshaw"', { exact: true }).waitFor();
    await page.getByRole("button", { name: "Values of one" }).click();
    await pathInTree("steps.one.status").hover();
    await page.getByRole("button", { name: "Succeeds only if" }).click();
    await pathInTree("steps.one.body.next").hover();
    await page.getByRole("button", { name: "Add to the item" }).click();
    await at.pane.getByRole("textbox", { name: "collect" }).waitFor();
    await at.saved();
    expect((await draft("picking")).steps[1]).toMatchObject({
      step: "eachHut",
      each: "steps.huts.body.items",
      as: "hut",
      collect: "merge(hut, {'next': steps.one.body.next})",
      steps: [{ step: "one", success: "status < 300 && status == 200" }],
    });
    await page.keyboard.press("Shift+F9");
    await at.step("told").getByText("succeeded").waitFor();
  });

  it("a response of a run is saved as a sample, where the run shows it", async () => {
    const { runs } = await world.client.call(routes.listRuns, { query: { workflow: "picking", limit: 1 } });
    const back = page.url();
    await page.goto(`${world.url}/runs/${runs[0]?.id}`);
    await page.locator(".step").filter({ hasText: "huts" }).first().click();
    const step = page.getByLabel("Step huts");
    await step.getByRole("button", { name: "Save as a sample …" }).click();
    await step.getByLabel("Name of the sample").fill("all huts");
    await step.getByRole("button", { name: "Save response" }).click();
    await step.getByText('Saved as "all huts".').waitFor();
    const { samples } = await world.client.call(routes.listSamples, {
      params: { name: "stays", id: "listHuts" },
    });
    expect(samples).toMatchObject([{ name: "all huts", status: 200 }]);
    expect(samples[0]?.body).toHaveProperty(["items", 0, "id"], "ashlar");
    await page.goto(back);
    await at.step("one").waitFor();
  });

  it("an expression is taken apart by a key, with what each part gives", async () => {
    await at.click(at.step("one").getByText("one", { exact: true }).first());
    await at.field("only-if", "size(steps.huts.body.items) > 3 && hut.id != ''");
    await at.saved();
    await at.click(at.pane.getByRole("textbox", { name: "only-if" }));
    await at.press("Alt+Enter");
    const parts = at.pane.getByRole("table", { name: "Parts of the expression" });
    const rows = async () =>
      (await parts.locator("tr").allInnerTexts()).map((text) => text.replace(/\s+/g, " "));
    await parts.getByText("hut.id", { exact: true }).waitFor();
    const [whole, left, size, list] = await rows();
    expect(whole).toContain('&& hut.id != "" true');
    expect(left).toBe("size(steps.huts.body.items) > 3 true");
    expect(size).toMatch(/^size\(steps\.huts\.body\.items\) 12 ./);
    expect(list).toMatch(/^steps\.huts\.body\.items \[\{"id":"ashlar"/);
    // What is typed is taken apart at once.
    await at.code("only-if", "hut.id == 'ashlar'");
    await at.saved();
    await parts.getByText('hut.id == "ashlar"', { exact: true }).waitFor();
    await at.click(at.pane.getByRole("button", { name: "What does this do: only-if" }));
    await parts.waitFor({ state: "detached" });
  });

  it("what is wrong with an expression stands below it, once, and goes when it is put right", async () => {
    const wrong = 'There is no step "hut"; did you mean "huts"?';
    const field = at.pane.locator("[data-field='note']");
    const type = async (text: string) => {
      await at.click(field.getByRole("textbox", { name: "note", exact: true }));
      await at.press("Control+a");
      await at.type(text);
    };
    await at.click(at.step("told"));
    await type("${steps.hut.status} huts");
    await field.locator(".fault.text-error", { hasText: wrong }).waitFor();
    expect(await field.locator(".cm-lintRange-error").allTextContents()).toEqual(["steps.hut.status"]);
    // The check of the whole file finds the same: it is not said again above the fields.
    await at.saved();
    await page.getByRole("button", { name: /1 problem/ }).waitFor();
    expect(await at.pane.getByText(wrong).count()).toBe(1);

    // What was wrong before is not said of a newer text, at no moment.
    await field.evaluate((element) => {
      const seen: string[] = [];
      Object.assign(window, { seen });
      const look = (): void => {
        if (!element.querySelector(".fault.text-warning")?.textContent.includes("itens")) return;
        for (const one of element.querySelectorAll(".fault.text-error")) seen.push(one.textContent.trim());
      };
      new MutationObserver(look).observe(element, { childList: true, subtree: true });
    });
    await type("${steps.huts.status} huts, ${steps.huts.body.itens}");
    await field.locator(".fault.text-warning", { hasText: "itens" }).waitFor();
    expect(await field.locator(".fault.text-error").count()).toBe(0);
    await at.saved();
    expect(await at.pane.locator(".problems").count()).toBe(0);
    const seen = await page.evaluate(() => (window as unknown as { seen: string[] }).seen);
    expect(seen).toEqual([]);

    await type("${steps.huts.status}");
    await field.locator(".fault").first().waitFor({ state: "detached" });
    await at.saved();
    await page.getByRole("button", { name: /1 problem/ }).waitFor({ state: "detached" });
  });

  it("a test pauses at breakpoints: the item's values are seen and changed, and it goes on by step and by item", async () => {
    await reset(world.boards);
    await world.publish(`copper-kettle: 1
name: paused
steps:
  - { step: huts, request: "GET \${constants.stays}/huts", using: stays-key }
  - step: round
    each: steps.huts.body.items.filter(one, one.id < "d")
    as: hut
    steps:
      - step: post
        request: POST \${constants.boards}/boards/\${hut.id}/posts
        using: boards-bot
        body: { json: { clientRef: "\${uuid()}", content: [{ text: "\${hut.name}, \${steps.huts.status}" }] } }
`);
    await page.goto(`${world.url}/workflows/paused`);
    await page.getByRole("button", { name: "Let tests pause before post" }).click();
    // It belongs to the person, and not to the file.
    await page.reload();
    await page.getByRole("button", { name: "Tests pause before post" }).waitFor();
    await page.keyboard.press("Shift+F9");
    const bar = page.getByRole("region", { name: "Paused" });
    await bar.getByText("before round[0]/post, at a breakpoint").waitFor();
    expect(await at.step("post").getAttribute("aria-selected")).toBe("true");
    expect(await arrived(world.boards, "POST")).toHaveLength(0);
    await page.keyboard.press("F10");
    await bar.getByText("before round[1]/post").waitFor();
    expect(await at.pane.getByLabel("Item of round", { exact: true }).inputValue()).toBe("1");
    expect(await arrived(world.boards, "POST")).toHaveLength(1);
    await bar.getByRole("button", { name: "Change a value" }).click();
    await bar.getByLabel("Path of a value").fill("steps.huts.nothing");
    await bar.getByLabel("New value").fill("7");
    await page.keyboard.press("Enter");
    await bar.getByText("steps.huts.nothing = 7").waitFor();
    await bar.getByLabel("Path of a value").fill("steps.huts.status");
    await bar.getByLabel("New value").fill("299");
    await page.keyboard.press("Enter");
    await page.keyboard.press("Shift+F10");
    await bar.getByText("before round[2]/post").waitFor();
    await until(async () => (await arrived(world.boards, "POST")).length === 2, "the second went out");
    expect(JSON.stringify((await arrived(world.boards, "POST")).at(-1))).toContain(", 299");
    // Only where a condition holds: the next test passes the others.
    await page.keyboard.press("Control+F10");
    await bar.waitFor({ state: "detached" });
    await at.step("round").getByText("succeeded").waitFor();
    await at.step("post").click({ button: "left" });
    await page.getByRole("button", { name: "More for post" }).click();
    await page.getByText("Pause before it: when …").click();
    const box = page.getByRole("form", { name: "Pause before post" });
    await box.getByRole("textbox", { name: "Only where" }).click();
    await page.keyboard.type('hut.id == "corrie"');
    await box.getByRole("button", { name: "Set the breakpoint" }).click();
    await page.getByRole("button", { name: 'Tests pause before post, where hut.id == "corrie"' }).waitFor();
    await page.keyboard.press("Shift+F9");
    await bar.getByText('before round[2]/post, since hut.id == "corrie" is true').waitFor();
    await bar.getByRole("button", { name: "Stop" }).click();
    await bar.waitFor({ state: "detached" });
    const { text } = await world.client.call(routes.workflow, { params: { name: "paused" } });
    expect(text).not.toContain("corrie");
  });

  it("a run is played on the map, moment by moment", async () => {
    await page.getByRole("button", { name: "Map", exact: true }).click();
    const map = page.getByRole("region", { name: "Map of the workflow" });
    const said = map.getByRole("status");
    await said.getByText("as it ended").waitFor();
    await map.getByRole("slider", { name: "Moment of the run" }).press("Home");
    await said.getByText(/after 0 ms/).waitFor();
    // Nothing but the first step has begun.
    expect(await map.locator(".node.none").count()).toBeGreaterThan(0);
    await map.getByRole("button", { name: "The next moment" }).click();
    await map.getByText("is being sent").waitFor();
    await map.focus();
    await page.keyboard.press("Space");
    await said.getByText("as it ended").waitFor();
    expect(await map.getByText("is being sent").count()).toBe(0);
    await page.getByRole("button", { name: "Outline", exact: true }).click();
  });

  it("says what happens to a call in plain words, in how many places the draft differs, and shows lists as tables", async () => {
    const { text } = await world.client.call(routes.workflow, { params: { name: "paused" } });
    const more = "  - { step: more, operation: stays.searchGuests, using: stays-key }\n";
    await world.client.call(routes.pushWorkflow, { params: { name: "paused" }, body: { text: text + more } });
    await page.goto(`${world.url}/workflows/paused`);
    await page.getByText("Draft, differs from version 1: 1 change").waitFor();
    await at.click(at.step("huts"));
    // The message that it makes: its first line always, the whole of it with the values.
    const message = at.pane.getByRole("group", { name: "The message it makes" });
    await message.getByText(`GET ${world.stays.url}/huts`).waitFor();
    expect(await message.textContent()).not.toContain("Accept");
    await at.pane.getByRole("button", { name: "Values", exact: true }).click();
    await message.getByText("Accept: application/json, */*;q=0.8").waitFor();
    await message.getByText("authorized by stays-key").waitFor();
    await at.pane.getByRole("button", { name: "Expressions", exact: true }).click();
    const fold = at.pane.locator("details:not([open]) > summary");
    await fold.getByText(/^Tries again after 1 s, 2 s and 4 s .*, when no response comes/).waitFor();
    await fold.click();
    await at.pane.getByText(/^Tries again after 1 s, 2 s and 4 s .*, when no response comes/).waitFor();
    await at.pane.getByRole("button", { name: "Send now" }).click();
    await at.pane.getByRole("button", { name: "Table", exact: true }).click();
    await at.pane
      .getByRole("table", { name: "items" })
      .getByRole("cell", { name: "corrie", exact: true })
      .waitFor();
    await at.pane.getByRole("button", { name: "Raw", exact: true }).last().click();
    await at.pane.getByText('"name": "Corrie"').waitFor();
  });

  it("a copy of a workflow shows what it is tied to, and takes another in its place", async () => {
    await page.goto(`${world.url}/add-workflow`);
    await page.getByRole("radio", { name: /From a workflow/ }).click();
    await page.locator("main").getByRole("combobox", { name: "Workflow to copy" }).click();
    await page.getByRole("option", { name: /\(paused\)/ }).click();
    const ties = page.getByRole("table", { name: "What the copy is tied to" });
    await ties.getByText("boards-bot").first().waitFor();
    await ties.getByRole("combobox", { name: "Instead of credential boards-bot" }).fill("stays-key");
    await page.keyboard.press("Tab");
    await at.begin("copied", "A copy");
    const { text } = await world.client.call(routes.workflow, { params: { name: "copied" } });
    expect(text).toContain("name: copied");
    expect(text).not.toContain("boards-bot");
    expect(text.match(/using: stays-key/g)).toHaveLength(3);
  });

  it("says who else has the workflow open, until they leave", async () => {
    const { token } = await world.client.call(routes.createToken, { body: { name: "marit" } });
    const marit = createClient({ baseUrl: world.url, token });
    await marit.call(routes.workflowHere, { params: { name: "picking" }, body: { window: "w1" } });
    await page.goto(`${world.url}/workflows/picking`);
    await page.getByText("Also here: marit", { exact: false }).waitFor();
    const other = await page.context().newPage();
    await other.goto(`${world.url}/workflows/picking`);
    await other.getByText("Also here: marit, you, in another window").waitFor();
    await marit.call(routes.workflowHere, {
      params: { name: "picking" },
      body: { window: "w1", leaves: true },
    });
    await page.getByRole("link", { name: "Runs", exact: true }).click();
    await page.waitForURL(/\/runs$/);
    await other.reload();
    await other.getByText("Draft, not published").waitFor();
    await until(async () => (await other.getByText("Also here").count()) === 0, "nobody else is there");
    await expect(
      marit.call(routes.workflowHere, { params: { name: "nowhere" }, body: { window: "w1" } }),
    ).rejects.toThrow('no workflow "nowhere"');
  });
});
