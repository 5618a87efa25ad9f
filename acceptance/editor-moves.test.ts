import { operationsRoutes, workflowsRoutes, apisRoutes } from "@copper-kettle/contract";
import type { Browser, Page } from "playwright-core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { launch, signIn } from "./browser.js";
import { AtEditor } from "./editor.kit.js";
import { until, World } from "./kit.js";

const text = `copper-kettle: 1
name: moves
steps:
  - { step: guest, operation: stays.searchGuests, parameters: { email: a@huts.example } }
  - { step: visitor, operation: stays.searchGuests, parameters: { email: b@huts.example } }
  - { step: told, note: "\${steps.guest.status} and \${steps.guest.took}" } # stays
  - { step: one, operation: stays.guest, parameters: { id: "" } }
`;

describe("steps that are moved, taken away and added in the console", () => {
  let world: World;
  let browser: Browser;
  let page: Page;
  let at: AtEditor;
  beforeAll(async () => {
    [world, browser] = await Promise.all([World.start(), launch()]);
    ({ page } = await signIn(browser, world));
    await world.client.call(apisRoutes.putApi, {
      params: { name: "stays" },
      body: { url: `${world.stays.url}/openapi.yaml`, server: world.stays.url },
    });
    await world.client.call(workflowsRoutes.pushWorkflow, { params: { name: "moves" }, body: { text } });
    await page.goto(`${world.url}/workflows/moves`);
    at = new AtEditor(page);
    await at.step("told").waitFor();
  });
  afterAll(async () => {
    await browser.close();
    await world.close();
  });
  const draft = async (): Promise<string> =>
    (await world.client.call(workflowsRoutes.workflow, { params: { name: "moves" } })).text;

  it("says while a step is dragged what would read it in vain, and nothing where all is well", async () => {
    const breaks = page.getByText("The step told reads guest, which is not known there.");
    const transfer = await page.evaluateHandle(() => new DataTransfer());
    const send = (name: string, event: string) =>
      at.step(name).dispatchEvent(event, { dataTransfer: transfer });
    await send("guest", "dragstart");
    await send("told", "dragover");
    await breaks.waitFor();
    await send("visitor", "dragover");
    await breaks.waitFor({ state: "detached" });
    await send("visitor", "dragend");
    expect(await draft()).toBe(text);
  });

  it("names after an edit what is read in vain, and lets another step be read by one click", async () => {
    await at.click(at.step("guest"));
    await at.step("guest").press("Delete");
    await page.getByText("The step told reads guest, which is not known there.").waitFor();
    // What is undone is no fault any more; done again it is named again.
    await page.keyboard.press("Control+z");
    await page.getByText("which is not known there").waitFor({ state: "detached" });
    await at.step("guest").press("Delete");
    await at.click(page.getByRole("button", { name: "visitor: told reads it instead of guest" }));
    await page.getByText("which is not known there").waitFor({ state: "detached" });
    await at.saved();
    const lines = text.split("\n").filter((line) => !line.includes("step: guest,"));
    expect(await draft()).toBe(lines.join("\n").replaceAll("steps.guest", "steps.visitor"));
  });

  it("takes the id out of a pasted address: by the part that somebody marks, and by its pattern from then on", async () => {
    await at.click(at.step("one"));
    const id = at.pane.getByRole("textbox", { name: "id", exact: true });
    await at.click(id);
    await at.type("https://stays.example/desk/guests/g-7/edit");
    await at.click(at.pane.getByRole("button", { name: "g-7", exact: true }));
    await until(async () => (await draft()).includes("parameters: { id: g-7 }"), "the id was taken");
    const { operation } = await world.client.call(operationsRoutes.operationSource, {
      params: { name: "stays", id: "guest" },
    });
    expect(operation["x-ckettle-ids-from"]).toEqual(["https://stays.example/desk/guests/{id}"]);
    await page.reload();
    await at.click(at.step("one"));
    await at.click(id);
    await at.press("Control+a");
    await at.type("https://stays.example/desk/guests/g-9?tab=stays");
    await until(async () => (await draft()).includes("parameters: { id: g-9 }"), "the pattern gave the id");
  });

  it("offers nothing in a field that was left before the offer came", async () => {
    const text =
      'copper-kettle: 1\nname: late\nsteps:\n  - { step: s1, request: "GET https://huts.example" }\n';
    await world.client.call(workflowsRoutes.pushWorkflow, { params: { name: "late" }, body: { text } });
    await page.goto(`${world.url}/workflows/late`);
    await at.click(at.step("s1"));
    const offers = page.locator(".cm-tooltip-autocomplete");
    await at.click(at.pane.getByRole("textbox", { name: "request", exact: true }));
    await at.press("End");
    await at.type("?of=${r");
    await offers.waitFor();
    await at.press("Escape", "Backspace");
    await at.type("r");
    await at.press("Tab");
    // The worker answers in order: the edit's check, which the head line shows, was asked for with the last key.
    await page.getByRole("button", { name: "1 problem" }).waitFor();
    await at.saved();
    expect(await offers.count()).toBe(0);
  });

  it("keeps every key of somebody who types on while a long file is edited, and takes them back by a few undos", async () => {
    const steps = Array.from(
      { length: 500 },
      (_, index) => `  - { step: s${index}, request: "GET \${constants.base}" }\n`,
    );
    const long = `copper-kettle: 1\nname: long\nsteps:\n${steps.join("")}`;
    await world.client.call(workflowsRoutes.pushWorkflow, { params: { name: "long" }, body: { text: long } });
    const stored = async () =>
      (await world.client.call(workflowsRoutes.workflow, { params: { name: "long" } })).text;
    await page.goto(`${world.url}/workflows/long`);
    await at.click(at.step("s1"));
    const field = at.pane.getByRole("textbox", { name: "request", exact: true });
    await at.click(field);
    await at.press("End");
    const more = "/guests?from=marit&to=ivo&hut=corrie-lodge&nights=3";
    for (const keys of more.match(/.{1,3}/g) ?? []) {
      await at.type(keys);
      // What is typed at this moment is saved, too, while an edit is under way.
      await at.press("Control+s");
      // The page has time to take in what comes back of the last one.
      await page.evaluate(() => new Promise((resolve) => requestAnimationFrame(resolve)));
    }
    expect(await field.textContent()).toBe(`GET \${constants.base}${more}`);
    await at.saved();
    expect(await stored()).toBe(long.replace('s1, request: "GET ${constants.base}', (found) => found + more));
    // What is half typed is kept, too, and refused by nobody.
    await at.type("${");
    await page.getByRole("button", { name: "1 problem" }).waitFor();
    expect(await page.getByText("cannot be changed without changing").count()).toBe(0);
    await at.saved();
    expect(await stored()).toContain(`${more}\${"`);
    await at.press("Backspace", "Backspace");
    // An emptied field stays where it is until it is left.
    await at.press("Control+a", "Delete");
    await at.type("GET https://huts.example/huts");
    expect(await field.textContent()).toBe("GET https://huts.example/huts");
    await at.step("s1").focus();
    // A key that came much later than the one before begins another step; 80 keys are a few all the same.
    let undone = 0;
    for (; (await field.textContent()) !== "GET ${constants.base}" && undone < 10; undone++) {
      const before = await field.textContent();
      await at.press("Control+z");
      await until(async () => (await field.textContent()) !== before, "something is undone");
    }
    expect(undone).toBeLessThan(6);
    await at.saved();
    expect(await stored()).toBe(long);
  });

  it("offers first what was added lately", async () => {
    const box = page.getByRole("dialog", { name: "Add a step" });
    const first = async (): Promise<string> => {
      await at.click(page.getByRole("button", { name: /Add a step: a kind/ }));
      const name = await box.getByRole("option").first().locator("b").textContent();
      await at.press("Escape");
      return name ?? "";
    };
    expect(await first()).not.toBe("stays.searchGuests");
    await at.add("end", "stays.searchGuests");
    await at.step("searchGuests").waitFor();
    expect(await first()).toBe("stays.searchGuests");
  });
});
