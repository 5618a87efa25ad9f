import { routes } from "@copper-kettle/contract";
import type { Browser, Page } from "playwright-core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { inSight, launch, signIn } from "./browser.js";
import { until, World } from "./kit.js";

describe("Home, lists and the frame of the console", () => {
  let world: World;
  let browser: Browser;
  let page: Page;
  let complaints: string[];
  beforeAll(async () => {
    [world, browser] = await Promise.all([World.start({ demo: true }), launch()]);
    ({ page, complaints } = await signIn(browser, world));
    await world.publish(
      'copper-kettle: 1\nname: quick\ntitle: A quick one\ninputs: { type: object, properties: { bad: { type: boolean } } }\nsteps:\n  - { step: a, note: "${[1][inputs.?bad.orValue(false) ? 7 : 0]}" }\n',
    );
    await world.publishExample("greet-guest");
    await world.describeStays();
  });
  afterAll(async () => {
    await browser.close();
    await world.close();
  });
  const open = async (path: string): Promise<void> => void (await page.goto(world.url + path));
  const many = async (count: number, inputs: object): Promise<string[]> => {
    const ids = await Promise.all(
      Array.from({ length: count }, async () => (await world.run("quick", inputs)).id),
    );
    await Promise.all(ids.map((id) => world.settled(id)));
    return ids;
  };

  it("groups failures by workflow and cause, forgets what a success made good, and puts aside", async () => {
    await many(60, { bad: true });
    await world.settled(
      (
        await world.client.call(routes.startRun, {
          params: { name: "quick" },
          body: { inputs: { bad: true }, options: { rehearsal: true } },
        })
      ).id,
    );
    await open("/");
    const row = page.getByLabel("Needs you").getByRole("listitem").filter({ hasText: "A quick one" });
    await row.getByText("60 runs").waitFor();
    expect(await row.count()).toBe(1);
    await row.getByRole("button", { name: "Put aside: the failures of quick" }).click();
    await row.waitFor({ state: "detached" });
    const home = () => world.client.call(routes.home);
    expect((await home()).attention).toEqual([]);
    const [again] = await many(1, { bad: true });
    expect((await home()).attention).toMatchObject([{ run: { id: again }, count: 1, lastGood: null }]);
    await many(1, {});
    expect((await home()).attention).toEqual([]);
    // Who is no owner sees it, and cannot put it aside for everybody.
    await world.client.call(routes.createToken, { body: { name: "reader" } }).then(async ({ token }) => {
      const refused = await fetch(`${world.url}/api/home/aside/quick`, {
        method: "PUT",
        headers: { Authorization: `Bearer ${token}`, "Content-Type": "application/json" },
        body: JSON.stringify({ run: again }),
      });
      expect(refused.status).toBe(403);
    });
    // Of another workflow's run nothing is put aside.
    await expect(
      world.client.call(routes.putAside, { params: { name: "greet-guest" }, body: { run: String(again) } }),
    ).rejects.toThrow();
  });

  it("keeps what was put aside through a kill", async () => {
    const [bad] = await many(1, { bad: true });
    await world.client.call(routes.putAside, { params: { name: "quick" }, body: { run: String(bad) } });
    await world.killAndServe();
    expect((await world.client.call(routes.home)).attention).toEqual([]);
    // An older run does not bring back what was put aside behind it.
    const first = (await world.client.call(routes.listRuns, { query: { order: "oldest", limit: 1 } }))
      .runs[0];
    await world.client.call(routes.putAside, { params: { name: "quick" }, body: { run: String(first?.id) } });
    expect((await world.client.call(routes.home)).attention).toEqual([]);
  });

  it("lists hundreds of runs by virtual rows, counted, in each order, by day, and where one was", async () => {
    await many(200, {});
    const { total } = await world.client.call(routes.listRuns, { query: { counted: "true", limit: 1 } });
    await open("/runs");
    await page.getByText(`${total} runs`).waitFor();
    const rows = page.locator("tbody tr.link");
    expect(await rows.count()).toBeLessThan(80);
    const list = page.getByRole("region", { name: "Runs" });
    await list.evaluate((element) => element.scrollTo(0, element.scrollHeight));
    const oldest = (await world.client.call(routes.listRuns, { query: { order: "oldest", limit: 1 } }))
      .runs[0];
    const last = page.locator(`a[href="/runs/${oldest?.id}"]`);
    await last.waitFor();
    const at = await list.evaluate((element) => element.scrollTop);
    await last.click();
    await page.getByText("Try expressions").waitFor();
    await page.goBack();
    await page.locator(`a[href="/runs/${oldest?.id}"]`).waitFor();
    expect(await list.evaluate((element) => element.scrollTop)).toBe(at);

    await page.getByRole("button", { name: /Created/ }).click();
    await page.waitForURL(/order=oldest/);
    await expect.poll(() => rows.first().locator("a").getAttribute("href")).toBe(`/runs/${oldest?.id}`);
    await page.getByLabel("From").fill("2031-01-01");
    await page.keyboard.press("Enter");
    await page.getByText("No runs found.").waitFor();
    expect(page.url()).toContain("since=2031-01-01");
    const tomorrow = new Date(Date.now() + 86_400_000).toISOString();
    const counted = async (query: object) =>
      (await world.client.call(routes.listRuns, { query: { counted: "true", ...query } })).total;
    expect(await counted({ until: tomorrow })).toBe(total);
    expect(await counted({ since: tomorrow })).toBe(0);
    const longest = (await world.client.call(routes.listRuns, { query: { order: "most-calls" } })).runs;
    expect(longest.map(({ calls }) => calls)).toEqual(
      longest.map(({ calls }) => calls).sort((a, b) => b - a),
    );
    const bad = await fetch(`${world.url}/api/runs?since=yesterday`, {
      headers: { Authorization: `Bearer ${world.token}` },
    });
    expect([bad.status, (await bad.json()).errors[0].field]).toEqual([400, "since"]);
  });

  it("leaves the list of runs where one scrolled to, though it is read again at that moment", async () => {
    await page.addInitScript(() => {
      new BroadcastChannel("copper-kettle-events").onmessage = () => Object.assign(window, { isTold: true });
    });
    let asked = 0;
    let answer = (): void => undefined;
    const held = new Promise<void>((resolve) => (answer = resolve));
    await page.route(/\/api\/runs\?.*counted/, async (route) => {
      asked++;
      if (asked === 1) await page.waitForFunction(() => "isTold" in window);
      if (asked === 2) await held;
      await route.continue();
    });
    await open("/runs");
    const list = page.getByRole("region", { name: "Runs" });
    await page.getByText(/^\d+ runs$/).waitFor();
    await until(async () => asked === 2, "the list is read again");
    await list.evaluate((element) => element.scrollTo(0, 2_000));
    const titles = page.waitForResponse(/\/api\/workflows/);
    answer();
    await titles;
    expect(await list.evaluate((element) => element.scrollTop)).toBe(2_000);
  });

  it("finds workflows, APIs, credentials and runs from anywhere, by keys alone", async () => {
    await open("/settings");
    await page.getByRole("heading", { name: "Service and retention" }).waitFor();
    await page.keyboard.press("/");
    await page.keyboard.type("quick");
    const found = page.getByRole("option", { name: /workflow quick/ });
    await found.waitFor();
    expect(await inSight(found)).toBe(true);
    await page.keyboard.press("Enter");
    await page.waitForURL(/\/workflows\/quick$/);
    await expect.poll(() => page.title(), { timeout: 20_000 }).toBe("A quick one, quick · Copper Kettle");
    const run = (await world.client.call(routes.listRuns, { query: { limit: 1 } })).runs[0];
    await page.getByRole("combobox", { name: "Search everything" }).fill(String(run?.id));
    await page.getByRole("option", { name: new RegExp(`run ${run?.id}`) }).click();
    await page.waitForURL(new RegExp(`/runs/${run?.id}$`));
  });

  it("has the search and the place in the navigation on a phone, too", async () => {
    const { page: small } = await signIn(browser, world, { width: 390, height: 800 });
    await small.goto(`${world.url}/help`);
    await expect.poll(() => inSight(small.getByRole("link", { name: "Help", exact: true }))).toBe(true);
    await small.getByRole("combobox", { name: "Search everything" }).click();
    await small.keyboard.type("quick");
    const found = small.getByRole("option", { name: /workflow quick/ });
    await found.waitFor();
    expect(await inSight(found)).toBe(true);
    await found.click();
    await small.waitForURL(/\/workflows\/quick$/);
    await expect
      .poll(() => inSight(small.getByRole("link", { name: "Workflows", exact: true }).first()))
      .toBe(true);
  });

  it("forgets a fault as soon as its cause is gone", async () => {
    await open("/add-credential");
    await page.getByLabel("Name", { exact: true }).fill("My Key!");
    await page.getByText("No capital letters: my-key").waitFor();
    await page.getByLabel("Name", { exact: true }).fill("");
    await page.getByRole("button", { name: "Save" }).click();
    await page.getByText("Give the credential a name").waitFor();
    await page.getByLabel("Name", { exact: true }).fill("my-key");
    await page.getByText("Give the credential a name").waitFor({ state: "detached" });
  });

  it("keeps the response on the screen when it is saved as a sample", async () => {
    await open("/apis/stays/searchGuests");
    await page.getByLabel("email").first().fill("odd@huts.example");
    await page.getByRole("button", { name: "Send now" }).click();
    const response = page.getByLabel("Response", { exact: true });
    await response.getByText("200").waitFor();
    await page.getByRole("button", { name: "Save response" }).click();
    await page.getByText('Saved as "response 200"').waitFor();
    await response.getByText("200").waitFor();
    await page.getByText("email=odd@huts.example").waitFor();
  });

  it("compares a rehearsal without inventing what was not answered", async () => {
    const real = await world.settled((await world.run("greet-guest", { email: "nina@huts.example" })).id);
    const tried = await world.settled(
      (
        await world.client.call(routes.startRun, {
          params: { name: "greet-guest" },
          body: { inputs: { email: "tove@huts.example" }, options: { rehearsal: true } },
        })
      ).id,
    );
    const { steps } = await world.client.call(routes.compareRuns, {
      params: { id: real.id },
      query: { with: tried.id },
    });
    const made = steps.find(({ path }) => path === "made");
    expect([made?.first, made?.second]).toEqual(["succeeded", "not sent"]);
    expect(made?.differences).toContainEqual({
      place: "request.body.email",
      first: "nina@huts.example",
      second: "tove@huts.example",
    });
    await open(`/runs/${real.id}/compare/${tried.id}`);
    await page.getByText("rehearsal", { exact: true }).waitFor();
    await page.locator("tr").filter({ hasText: "made" }).filter({ hasText: "not sent" }).waitFor();
  });

  it("orders lists by the heads of their columns, which the address keeps, and searches them", async () => {
    await world.client.call(routes.putCredential, {
      params: { name: "tills-key" },
      body: { kind: "bearer" },
    });
    await open("/credentials");
    const names = () => page.locator("tbody a.whole").allInnerTexts();
    const head = (name: string) => page.getByRole("columnheader", { name }).getByRole("button");
    await head("Credential").waitFor();
    // What needs somebody comes first: this one has no secret yet.
    expect((await names())[0]).toBe("tills-key");
    await head("Credential").click();
    await page.waitForURL(/order=name/);
    const ascending = await names();
    expect(ascending).toEqual([...ascending].sort());
    expect(ascending.length).toBeGreaterThan(2);
    await head("Credential").click();
    await page.waitForURL(/order=-name/);
    expect(await names()).toEqual([...ascending].reverse());
    await page.reload();
    await head("Credential").waitFor();
    expect(await names()).toEqual([...ascending].reverse());
    expect(await page.locator("th[aria-sort='descending']").innerText()).toContain("Credential");

    const search = page.getByRole("textbox", { name: "Search", exact: true });
    await search.fill("tills");
    await page.locator("tbody tr").nth(1).waitFor({ state: "detached" });
    expect(await names()).toEqual(["tills-key"]);
    await page.getByRole("button", { name: "Clear" }).click();
    await page.locator("tbody tr").nth(1).waitFor();
    expect(await names()).toHaveLength(ascending.length);

    // The workflow that failed most lately stands first, when it is asked for.
    await many(2, { bad: true });
    await open("/workflows?order=-failures");
    await page.locator("tbody tr").nth(1).waitFor();
    expect((await names())[0]).toContain("quick");
  });

  it("has the documentation in it, with a search, and no link of it leads nowhere", async () => {
    await open("/workflows");
    await page.getByRole("link", { name: "Help: Workflows" }).click();
    await page.getByRole("heading", { name: "The workflow file", level: 1 }).waitFor();
    await page.getByRole("textbox", { name: "Search the help" }).fill("response lost");
    await page.getByRole("link", { name: "Words › Unsure" }).click();
    await page.waitForURL(/\/help\/words#unsure$/);
    const unsure = page.getByRole("heading", { name: "Unsure", exact: true });
    await until(
      async () => ((await unsure.boundingBox())?.y ?? 999) < 200,
      "the section is at the top of what is seen",
    );
    await page.getByRole("textbox", { name: "Search the help" }).fill("unsure quetzal");
    await page.getByText("No section of the help has").waitFor();

    const pages = await page
      .getByRole("navigation", { name: "Help" })
      .getByRole("link")
      .evaluateAll((links) => links.map((link) => link.getAttribute("href") ?? ""));
    expect(pages.length).toBeGreaterThan(10);
    const ids = new Set<string>();
    const links: string[] = [];
    for (const path of pages) {
      await open(path);
      await page.locator("article p").first().waitFor();
      ids.add(path);
      for (const id of await page.locator("article [id]").evaluateAll((all) => all.map((one) => one.id)))
        ids.add(`${path}#${id}`);
      const found = await page
        .locator("article a[href]")
        .evaluateAll((all) => all.map((one) => one.getAttribute("href") ?? ""));
      links.push(...found.map((href) => (href.startsWith("#") ? path + href : href)));
    }
    const inside = links.filter((href) => !/^https?:/.test(href));
    expect(inside.length).toBeGreaterThan(5);
    expect(inside.filter((href) => !ids.has(href))).toEqual([]);
    await open("/help/nowhere");
    await page.getByText("The help has no page “nowhere”.").waitFor();
  });

  it("says that the session has ended, and lets one in again by a pasted link", async () => {
    await open("/workflows");
    await page.getByText("A quick one").waitFor();
    await page.context().clearCookies();
    // Whichever asks first is refused: the page that is opened, or what the page reads by itself.
    await page
      .getByRole("link", { name: "Runs" })
      .click({ timeout: 3_000 })
      .catch(() => undefined);
    await page.getByText("Your session has ended").waitFor();
    await page.getByLabel("Sign-in link").fill("no link");
    await page.getByRole("button", { name: "Sign in" }).click();
    await page.getByText("This is not a sign-in link").waitFor();
    const { url } = await world.client.call(routes.signInLink);
    await page.getByLabel("Sign-in link").fill(url);
    await page.getByRole("button", { name: "Sign in" }).click();
    await page.getByRole("button", { name: /^Account/ }).click();
    await page.getByText("Sign out").click();
    await page.getByText("You are signed out.").waitFor();
    expect((await page.request.get(`${world.url}/api/home`)).status()).toBe(401);
    expect(complaints.filter((text) => !/status of 4\d\d|ERR_/.test(text))).toEqual([]);
  });
});
