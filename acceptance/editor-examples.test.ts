import { routes } from "@copper-kettle/contract";
import { isObject, readWorkflow, valueOfText, type Json } from "@copper-kettle/core";
import { readFile } from "node:fs/promises";
import { join } from "node:path";
import type { Browser, Page } from "playwright-core";
import { afterAll, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { launch, signIn } from "./browser.js";
import { AtEditor } from "./editor.kit.js";
import { root, World } from "./kit.js";

describe("the examples, built from nothing in the console by clicks and keys", () => {
  let world: World;
  let browser: Browser;
  let page: Page;
  let at: AtEditor;
  beforeAll(async () => {
    [world, browser] = await Promise.all([World.start({ demo: true }), launch()]);
    const { client } = world;
    const secret = `whsec_${Buffer.from("a secret of the bookings").toString("base64")}`;
    await client.call(routes.putCredential, {
      params: { name: "stays-hook" },
      body: { kind: "secret", secret },
    });
    const apis: { name: string; server: string; credential?: string }[] = [
      { name: "stays", server: world.stays.url, credential: "stays-key" },
      { name: "boards", server: world.boards.url, credential: "boards-bot" },
      { name: "passes", server: "https://passes.huts.example" },
      { name: "staff", server: "https://staff.huts.example" },
    ];
    for (const { name, ...more } of apis) {
      const text = await readFile(join(root, `standins/openapi/${name}.yaml`), "utf8");
      await client.call(routes.putApi, { params: { name }, body: { text, rules: true, ...more } });
    }
    ({ page } = await signIn(browser, world));
  });
  afterAll(async () => {
    await browser.close();
    await world.close();
  });
  beforeEach(() => {
    at = new AtEditor(page);
  });

  /** Title, name and what starts it; the page of the new workflow is open then. */
  async function begin(name: string, title: string, way?: string): Promise<void> {
    await page.goto(`${world.url}/add-workflow`);
    if (way !== undefined) await at.click(page.getByRole("radio", { name: new RegExp(way) }));
    await at.begin(name, title);
  }
  async function inputs(schema: string): Promise<void> {
    await at.click(page.getByRole("treeitem", { name: /^file / }));
    await at.click(at.pane.getByRole("button", { name: "as JSON Schema" }));
    await at.json("inputs", schema);
  }
  async function call(what: string, name: string, title?: string): Promise<void> {
    await at.add("end", what);
    await at.name(name);
    // An operation has a title of its own.
    if (title !== undefined) await (what.includes(" ") ? at.field("title", title) : at.code("title", title));
  }
  async function raw(body: string): Promise<void> {
    const [add, view] = ["+ body", "Raw"].map((name) => at.pane.getByRole("button", { name, exact: true }));
    await add!.or(view!).first().waitFor();
    if (await add!.isVisible()) await at.click(add!);
    await at.click(view!);
    await at.json("body", body);
  }
  async function seldom(...fields: [string, string][]): Promise<void> {
    const fold = at.pane.locator("details");
    if ((await fold.getAttribute("open")) === null) await at.click(fold.locator("summary"));
    await at.click(at.pane.getByRole("button", { name: "+ retry", exact: true }));
    for (const [name, value] of fields) await at.field(name, value);
  }
  async function reply(body: string): Promise<void> {
    await at.add("end", "respond");
    await at.name("reply");
    await at.json("body", body);
  }

  /** The file is the example's, but for comments and the prose about it; nothing is wrong with it. */
  async function isExample(name: string): Promise<void> {
    await at.saved();
    const { text, problems } = await world.client.call(routes.workflow, { params: { name } });
    const example = await readFile(join(root, `examples/${name}.copper-kettle.yaml`), "utf8");
    const bare = (file: string): Json => {
      const value = valueOfText(file);
      if (isObject(value)) delete value["about"];
      return value;
    };
    expect(bare(text)).toEqual(bare(example));
    expect(problems, JSON.stringify(readWorkflow(text).problems)).toBe(0);
  }

  it("hut-round", async () => {
    await begin("hut-round", "A word to every hut");
    await inputs(
      '{ type: object, required: [message], properties: { message: { type: string, minLength: 1, title: Message, default: "Please check the water tanks before noon." } } }',
    );
    await call("GET ${constants.stays}/huts", "huts", "Which huts are there?");
    await at.add("end", "each");
    await at.name("round");
    await at.field("title", "One post a hut");
    await at.code("each", "steps.huts.body.items");
    await at.field("as", "hut");
    await at.field("parallel", "3");
    await at.field("collect", "{'hut': hut.name, 'post': steps.post.body.id}");
    await at.add(at.step("round"), "POST ${constants.boards}/boards/${hut.id}/posts");
    await at.name("post");
    await raw('{"clientRef": "${uuid()}", "content": [{"text": "${hut.name}: ${inputs.message}"}]}');
    await seldom(["times", "10"], ["wait", "1s"]);
    await at.add("end", "note");
    await at.name("told");
    await at.code("note", "${size(steps.round.items)} huts were told");
    await reply('{"posts": "${steps.round.items}"}');
    await isExample("hut-round");
    expect([at.clicks, at.keys]).toEqual([31, 610]);
  });

  it("open-season", async () => {
    await begin("open-season", "Open a season");
    await inputs(
      '{ type: object, required: [hut, season], properties: { hut: { type: string, title: Hut, enum: [ashlar, brackenshaw, corrie, dunmoor, eyrie, foxglove, gannet-rock, hollin, ibex-step, juniper, kestrel, langmere-end], default: corrie }, season: { type: string, minLength: 1, title: Season, default: Summer 2027 }, from: { type: string, format: date, title: First day, default: "2027-06-01" } } }',
    );
    await call("staff.openSeason", "season", "Open the season");
    await at.code("name", "${inputs.season}");
    await at.field("success", "status == 201");
    await call("staff.addRota", "rota", "Add its rota");
    await at.code("id", "${steps.season.body.id}");
    await seldom(["waits", "[5s, 20s, 1m, 10m]"], ["when", "status == 404"]);
    await call("staff.listPeople", "people", "Who works at the hut?");
    await at.field("hut", "${inputs.hut}");
    await at.add("end", "each");
    await at.name("shifts");
    await at.field("title", "A first shift for each");
    await at.code("each", "steps.people.body.items");
    await at.field("as", "person");
    await at.field("collect", "steps.shift.body.id");
    await at.add(at.step("shifts"), "staff.addShift");
    await at.name("shift");
    await at.click(at.pane.getByRole("button", { name: "Remove title" }));
    await at.code("id", "${steps.season.body.id}");
    await at.code("person", "${person.id}");
    await at.field("success", "status == 201");
    await call("boards.createPost", "tell", "Post to the hut's board");
    await at.code("board", "${inputs.hut}");
    await at.field("using", "boards-marit");
    await raw(
      '{"clientRef": "${uuid()}", "content": [{"text": "${inputs.season} is open (${steps.season.body.id}), with ${size(steps.shifts.items)} shifts from ${inputs.from}."}]}',
    );
    await seldom(["times", "5"], ["wait", "1s"]);
    await reply(
      '{"season": "${steps.season.body.id}", "rota": "${steps.rota.body.id}", "shifts": "${steps.shifts.items}"}',
    );
    await isExample("open-season");
    expect([at.clicks, at.keys]).toEqual([48, 1193]);
  });

  it("pass-digest", async () => {
    await begin("pass-digest", "What the passes were used for");
    await at.click(page.getByRole("button", { name: "+ Add a trigger" }));
    await at.click(page.getByText("schedule", { exact: true }));
    await page.getByRole("treeitem", { name: "trigger clock" }).waitFor();
    await at.click(at.pane.getByLabel("Name of the trigger"));
    await at.press("Control+a");
    await at.type("morning");
    await at.press("Enter");
    await at.click(at.pane.getByRole("button", { name: "Remove every" }));
    await at.field("cron", "0 5 * * *");
    await at.field("zone", "Europe/Vienna");
    await at.click(at.pane.getByRole("button", { name: "+ missed", exact: true }));
    await at.choose("missed", "once");
    await at.click(page.getByRole("treeitem", { name: /^file / }));
    await at.click(at.pane.getByRole("button", { name: "+ limits", exact: true }));
    await at.field("within", "15m");
    await call("passes.listPasses", "passes", "All passes");
    await at.field("size", "20");
    await at.click(at.pane.locator("summary"));
    await at.click(at.pane.getByRole("button", { name: "+ pages", exact: true }));
    await at.choose("pages", "all");
    await at.add("end", "each");
    await at.name("usage");
    await at.field("title", "The usage of each");
    await at.code("each", "steps.passes.items");
    await at.field("as", "pass");
    await at.field("parallel", "8");
    await at.click(at.pane.getByRole("button", { name: "+ if-one-fails", exact: true }));
    await at.choose("if-one-fails", "continue");
    await at.field(
      "collect",
      "{'club': pass.club, 'nights': steps.used.body.nights, 'visits': steps.used.body.visits}",
    );
    await at.add(at.step("usage"), "passes.passUsage");
    await at.name("used");
    await at.code("id", "${pass.id}");
    await at.click(at.pane.getByRole("button", { name: "Remove title" }));
    await at.add("end", "set");
    await at.name("digest");
    await at.field("title", "One message a club");
    await at.click(at.pane.getByLabel("Name of value"));
    await at.press("Control+a");
    await at.type("messages");
    await at.press("Enter");
    await at.pane.getByLabel("Name of messages").waitFor();
    await at.code(
      "messages",
      "${steps.usage.items.groupBy(use, use.club).map(club, {'club': club.key, 'text': '%s: %d passes, %d nights, %d visits'.format([club.key, size(club.items), club.items.sumBy(use, use.nights), club.items.sumBy(use, use.visits)])})}",
    );
    await reply('{"messages": "${variables.messages}", "leftOut": "${steps.usage.failed}"}');
    await isExample("pass-digest");
    expect([at.clicks, at.keys]).toEqual([45, 669]);
  });

  it("booked-stay", async () => {
    await begin("booked-stay", "A stay was booked", "By a webhook");
    await at.click(page.getByRole("treeitem", { name: "trigger delivery" }));
    await at.click(at.pane.getByLabel("Name of the trigger"));
    await at.press("Control+a");
    await at.type("booked");
    await at.press("Enter");
    await page.getByRole("treeitem", { name: "trigger booked" }).waitFor();
    await at.code("path", "stay-booked");
    await at.choose("verify", "standard-webhooks");
    await at.click(at.pane.getByRole("combobox", { name: "standard-webhooks" }));
    await at.over("stays-hook");
    await at.click(at.pane.getByRole("button", { name: "+ response", exact: true }));
    await at.choose("response", "from-run");
    await at.field("within", "10s");
    await at.field("only-if", 'trigger.body.type == "stay.booked"');
    await at.field("once-per", "trigger.body.data.id");
    await at.click(at.pane.getByRole("button", { name: "+ inputs", exact: true }));
    for (const [name, value] of [
      ["stay", "${trigger.body.data.id}"],
      ["hut", "${trigger.body.data.hut}"],
      ["nights", "${trigger.body.data.nights}"],
    ] as const)
      await at.pair("inputs", name, value);
    await inputs(
      "{ type: object, required: [stay, hut, nights], properties: { stay: { type: string, minLength: 1, title: Stay }, hut: { type: string, minLength: 1, title: Hut }, nights: { type: integer, minimum: 1, title: Nights } } }",
    );
    await at.click(at.pane.getByRole("button", { name: "+ limits", exact: true }));
    await at.field("within", "1m");
    await at.click(at.pane.getByRole("button", { name: "+ responses", exact: true }));
    await at.json(
      "responses",
      '{ "200": { type: object, required: [stay, recorded], properties: { stay: { type: string }, recorded: { type: boolean } } }, "201": { type: object, required: [stay, recorded, post], properties: { stay: { type: string }, recorded: { type: boolean }, post: { type: string } } } }',
    );
    await at.add("end", "if");
    await at.name("known");
    await at.field("title", "Is it on record?");
    await at.code("if", "has(remembered('stay ' + inputs.stay).hut)");
    await at.add(at.branch("then"), "respond");
    await at.name("again");
    await at.json("body", '{"stay": "${inputs.stay}", "recorded": false}');
    await at.field("status", "200");
    await at.add(at.step("again"), "finish");
    await at.name("enough");
    await at.code("finish", "The stay ${inputs.stay} was on record already.");
    await call("POST ${constants.boards}/boards/${inputs.hut}/posts", "post", "Post to the hut's board");
    await raw(
      '{"clientRef": "${uuid()}", "content": [{"text": "A new stay: ${inputs.nights} nights (${inputs.stay})."}]}',
    );
    await seldom(["times", "5"]);
    await at.add("end", "remember");
    await at.name("record");
    await at.field("title", "Remember the stay");
    await at.code("key", "stay ${inputs.stay}");
    await at.click(at.pane.getByLabel("Name of value"));
    await at.over("hut");
    await at.pane.getByLabel("Name of hut").waitFor();
    await at.code("hut", "${inputs.hut}");
    await at.pair("values", "nights", "${inputs.nights}");
    await reply('{"stay": "${inputs.stay}", "recorded": true, "post": "${steps.post.body.id}"}');
    await at.field("status", "201");
    await isExample("booked-stay");
    expect([at.clicks, at.keys]).toEqual([58, 1317]);
  });
});
