import { routes } from "@copper-kettle/contract";
import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import type { Browser, Page } from "playwright-core";
import { afterAll, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { choose, launch, signIn } from "./browser.js";
import { arrived, faults, reset, until, World } from "./kit.js";

const rounds = `copper-kettle: 1
name: rounds
steps:
  - step: round
    each: "['corrie', 'eyrie']"
    as: hut
    if-one-fails: continue
    collect: steps.post.body.board
    steps:
      - { step: post, request: "POST \${constants.boards}/boards/\${hut}/posts", using: boards-bot, body: { json: { clientRef: "\${uuid()}", content: [{ text: Hello }] } } }
  - { step: kept, remember: { key: last, values: { huts: "\${steps.round.items}" } } }
  - { step: reply, respond: { body: "\${steps.round.items}" } }
`;

describe("runs by hand, in the console", () => {
  let world: World;
  let browser: Browser;
  let page: Page;
  let complaints: string[];
  beforeAll(async () => {
    [world, browser] = await Promise.all([World.start(), launch()]);
    await world.publishExample("greet-guest");
    await world.publish(rounds);
    ({ page, complaints } = await signIn(browser, world));
  });
  beforeEach(() => reset(world.stays, world.boards));
  afterAll(async () => {
    await browser.close();
    await world.close();
  });
  const open = async (path: string): Promise<void> => void (await page.goto(world.url + path));
  const button = (name: string) => page.getByRole("button", { name, exact: true });
  const state = (word: string) => page.locator("header.page-head").getByText(word, { exact: true }).waitFor();
  const runId = (): string => new URL(page.url()).pathname.split("/").at(-1) as string;
  const greet = async (email: string) => world.settled((await world.run("greet-guest", { email })).id);

  it("rehearses: nothing that writes is sent, what would have been is listed, answered as the last time", async () => {
    await greet("ines@alpha.example");
    await reset(world.stays, world.boards);
    await open("/workflows/greet-guest");
    await page.getByRole("tab", { name: "Start" }).click();
    await page.getByLabel("Guest e-mail").fill("piet@alpha.example");
    await page.getByText("Test options: rehearse").click();
    await page.getByLabel("Rehearse: send only").check();
    await button("Start run").click();
    await page.getByText("Rehearsal: 2 calls were not sent").waitFor();
    await page.getByLabel("What would have been sent").getByText('{"email":"piet@alpha.example"}').click();
    await page.getByLabel("Step made").getByText("Not sent, because this is a rehearsal").waitFor();
    await state("1 call");
    expect(await arrived(world.stays, "POST")).toHaveLength(0);
    expect((await world.settled(runId())).response?.body).toMatchObject({ id: "g-3" });
  });

  it("stops for a look, and goes on with a value that was changed there", async () => {
    const { id } = await world.client.call(routes.startRun, {
      params: { name: "greet-guest" },
      body: { inputs: { email: "odd@huts.example" }, options: { breakpoints: ["known"] } },
    });
    await world.settled(id, ["waiting"]);
    await open(`/runs/${id}`);
    await page.getByText("Paused before").first().waitFor();
    await page.getByLabel("Place").fill("steps.gest.body.items");
    await page.getByLabel("New value").fill("[]");
    await button("Continue").click();
    await page.getByRole("alert").getByText("gest").waitFor();
    await page.getByLabel("Place").fill("steps.guest.body.items[0].id");
    await page.getByLabel("New value").fill("g-1234");
    await button("Next step").click();
    await page
      .getByText(/^Paused before (?!known,)/)
      .first()
      .waitFor();
    await button("Continue").click();
    await state("succeeded");
    expect((await world.settled(id)).response?.body).toMatchObject({ id: "g-1234" });
  });

  it("runs again from a step, and with other inputs; the new run names the one that it repeats", async () => {
    const first = await greet("tobias@alpha.example");
    await open(`/runs/${first.id}`);
    await page.locator(".step").filter({ hasText: "post" }).click();
    await button("Again from here").click();
    await button("Start run").click();
    await page.getByText(/^repeats \w+/).waitFor();
    await state("succeeded");
    expect(await arrived(world.stays, "POST")).toHaveLength(1);
    await button("Run again").click();
    await page.getByLabel("Inputs (JSON)").fill('{ "email": ');
    await button("Start run").click();
    await page.getByText("The inputs are not JSON").waitFor();
    await page.getByLabel("Inputs (JSON)").fill('{ "email": "odd@huts.example" }');
    const before = page.url();
    await button("Start run").click();
    await page.waitForURL((url) => url.href !== before);
    await state("succeeded");
    expect((await world.settled(runId())).response?.body).toMatchObject({ id: "g-1" });
  });

  it("does the failed items of a loop again, and compares the two runs", async () => {
    await faults(world.boards, [{ method: "POST", path: "/boards/eyrie", status: 403 }]);
    const first = await world.settled((await world.run("rounds")).id);
    await faults(world.boards, []);
    await open(`/runs/${first.id}`);
    await page.locator(".cell.failed").waitFor();
    await button("Run again").click();
    await choose(page, "What", "the failed items of a loop");
    await page.getByRole("combobox", { name: "Of the loop" }).waitFor();
    await button("Start run").click();
    await page.getByText(/^repeats \w+/).waitFor();
    await state("succeeded");
    expect((await world.settled(runId())).response?.body).toEqual(["corrie", "eyrie"]);
    expect((await arrived(world.boards, "POST")).map(({ status }) => status)).toEqual([201, 403, 201]);
    await button("Compare …").click();
    await page.getByRole("button", { name: "Compare", exact: true }).click();
    await page.waitForURL(`**/runs/${first.id}/compare/**`);
    const row = page.locator("tr.step").filter({ hasText: "round[1]/post" });
    await row.getByText("failed").waitFor();
    await row.getByText("succeeded").waitFor();
    await page.locator("tr").filter({ hasText: "outcome.items" }).first().waitFor();
  });

  it("tests one step alone, from the outline", async () => {
    await greet("odd@huts.example");
    await reset(world.stays, world.boards);
    await open("/workflows/greet-guest");
    await page.getByRole("treeitem", { name: "step post, request" }).click();
    await button("Send for real: POST").click();
    await page.getByLabel("Step post").getByText("201 after").waitFor();
    await until(async () => (await arrived(world.boards, "POST")).length === 1, "the board got the post");
    expect(await arrived(world.stays)).toHaveLength(0);
  });

  it("shows what changed between versions, and goes back to one", async () => {
    await world.publish(rounds.replace("text: Hello", "text: Good day"));
    await open("/workflows/rounds");
    await page.getByRole("tab", { name: "Versions" }).click();
    await page.locator(".diff .added").getByText("Good day").waitFor();
    await button("Back to it").click();
    await button("Publish it anew?").click();
    await page.getByText("version 3", { exact: true }).first().waitFor();
    await page.getByRole("tab", { name: "Versions" }).click();
    await page.locator(".diff .removed").getByText("Good day").waitFor();
    await page.getByRole("tab", { name: "Build" }).click();
    await page.getByRole("button", { name: "Text", exact: true }).click();
    expect(await page.getByLabel("The workflow file").textContent()).not.toContain("Good day");
  });

  it("shows what a workflow keeps, and forgets it", async () => {
    await world.settled((await world.run("rounds")).id);
    await open("/workflows/rounds");
    await page.getByRole("tab", { name: "Remembered" }).click();
    await page.getByLabel("Remembered values").getByText('"eyrie"').waitFor();
    await button("Forget last").click();
    const asked = page.getByRole("alertdialog");
    await asked.getByText("Its values are deleted for good.").waitFor();
    expect(
      (await world.client.call(routes.remembered, { params: { name: "rounds" } })).remembered,
    ).toHaveLength(1);
    await asked.getByRole("button", { name: "Forget last" }).click();
    await page.getByText("Nothing remembered yet.").waitFor();
    expect((await world.client.call(routes.remembered, { params: { name: "rounds" } })).remembered).toEqual(
      [],
    );
  });

  describe("settings", () => {
    let hook: Server;
    const told: string[] = [];
    beforeAll(async () => {
      hook = createServer((request, response) => {
        told.push(String(request.headers["webhook-signature"]));
        request.resume().on("end", () => response.writeHead(told.length === 1 ? 500 : 204).end());
      });
      await new Promise<void>((resolve) => hook.listen(0, "127.0.0.1", resolve));
    });
    afterAll(() => void hook.close());

    it("pause all runs, which Home says, and let them go on there", async () => {
      await open("/settings");
      await button("Pause all runs").click();
      await page.getByText("All runs are paused. Runs that are active now finish.").waitFor();
      const { id } = await world.run("greet-guest", { email: "odd@huts.example" });
      await open("/");
      await page.getByText("All runs are paused").waitFor();
      expect((await world.client.call(routes.run, { params: { id } })).state).toBe("queued");
      await button("Resume all runs").click();
      expect((await world.settled(id)).state).toBe("succeeded");
    });

    it("say who is told, show the secret once, and what came of a try", async () => {
      await open("/settings/notifications");
      const keep = page.locator("main").getByRole("button", { name: "Save" });
      const address = `http://localhost:${(hook.address() as AddressInfo).port}/hook`;
      await page.getByLabel("Webhook URL").fill("office");
      await keep.click();
      await page
        .getByRole("alert")
        .filter({ hasText: /webhook|url/i })
        .first()
        .waitFor();
      await page.getByLabel("Webhook URL").fill(address);
      await keep.click();
      await page.getByText("Signing secret, shown only once").waitFor();
      expect((await world.client.call(routes.notifications)).webhook).toEqual({ url: address });
      // What is set is shown; the form comes on demand, and can be left.
      await page.getByRole("table", { name: "Who is notified" }).getByText(address).waitFor();
      expect(await page.getByLabel("Webhook URL").count()).toBe(0);
      await button("Edit").click();
      await page.getByLabel("Webhook URL").fill("http://elsewhere.example");
      await button("Cancel").click();
      await button("Send a test notification").click();
      await page.getByText("By webhook: it was not taken").waitFor();
      await page.getByText("which calls may not reach").waitFor();
      expect(told).toEqual([]);
    });

    it("keep retention, constants and a backup", async () => {
      await open("/settings");
      await page.getByLabel("Delete ended runs after days").fill("many");
      await button("Save").first().click();
      await page.getByRole("alert").first().waitFor();
      await page.getByLabel("Delete ended runs after days").fill("30");
      await button("Save").first().click();
      await page.getByText("deleted within a minute").waitFor();
      expect((await world.client.call(routes.retention)).days).toBe(30);
      await button("Make a backup").click();
      await page.getByText("The sealing key is not in it").waitFor();
      await page.getByRole("link", { name: "Constants" }).click();
      await page.getByLabel("Name", { exact: true }).fill("season");
      await page.getByLabel("Value (JSON, or a plain text)").fill("2027");
      await button("Set").click();
      await page.getByLabel("Constants").getByText("season").waitFor();
      expect((await world.client.call(routes.constants)).constants).toMatchObject({ season: 2027 });
      await page.getByRole("link", { name: "Traffic" }).click();
      await page.getByLabel("Rate limits").getByText("stays-key").waitFor();
    });
  });

  it("complains of nothing, and none of its pages scrolls sideways", async () => {
    for (const path of ["/settings", `/runs/${(await greet("odd@huts.example")).id}`]) {
      for (const width of [1280, 390]) {
        await page.setViewportSize({ width, height: 800 });
        await open(path);
        await page.waitForLoadState("networkidle");
        expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(width);
      }
    }
    expect(complaints.filter((text) => !/status of 4\d\d/.test(text))).toEqual([]);
  });
});
