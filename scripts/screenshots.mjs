import { execFileSync, spawn } from "node:child_process";
import { mkdirSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { chromium } from "playwright-core";
import { build, installChromium, installPackages, root, say } from "./lib/prepare.mjs";
import { terminalPage } from "./lib/terminal.mjs";

// npm run screenshots: starts the demo on a data folder of its own, and makes every picture of docs/screenshots again.
await installPackages();
await installChromium();
await build();

const out = join(root, "docs/screenshots");
rmSync(out, { recursive: true, force: true });
mkdirSync(out, { recursive: true });
const folder = mkdtempSync(join(tmpdir(), "ckettle-shots-"));
const cli = join(root, "cli/bin/ckettle.cjs");
const demo = spawn(process.execPath, [cli, "--data", folder, "demo", "--port", "0"], {
  stdio: ["ignore", "ignore", "pipe"],
});
let said = "";
demo.stderr.on("data", (piece) => (said += piece));
const until = async (holds, what) => {
  for (let tries = 0; tries < 600; tries++) {
    if (await holds()) return;
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
  throw new Error(`It is still not so that ${what}.\n${said}`);
};
const ckettle = (args, { fails = false } = {}) => {
  try {
    return execFileSync(process.execPath, [cli, "--data", folder, ...args], {
      encoding: "utf8",
      env: { ...process.env, FORCE_COLOR: "1", COLUMNS: "144" },
      stdio: ["ignore", "pipe", "pipe"],
    });
  } catch (error) {
    if (!fails) throw error;
    return `${error.stdout}${error.stderr}`;
  }
};
const json = (args) => JSON.parse(ckettle(["--json", ...args]));

try {
  await until(() => said.includes("Open the console"), "the demo runs");
  const constants = json(["constant", "list"]);
  await until(
    () => json(["run", "list"]).every((run) => run.endedAt || run.waits.length > 0),
    "the first runs have ended, or wait for a person",
  );
  // A few more runs, so that the pages have something to show: one fails, one is unsure, one sleeps.
  for (const email of ["odd@huts.example", "sanna@huts.example"])
    ckettle(["start", "greet-guest", "-i", `email=${email}`, "--wait"]);
  const fault = async (fault) =>
    fetch(`${constants.stays}/_control/faults`, {
      method: "PUT",
      headers: { "Content-Type": "application/json" },
      body: JSON.stringify({ faults: [fault] }),
    });
  await fault({
    path: "/guests",
    times: 1,
    status: 403,
    body: { error: "forbidden", message: "The office is closed on Sundays." },
  });
  ckettle(["start", "greet-guest", "-i", "email=tobias@alpha.example", "--wait"], { fails: true });
  await fault({ method: "POST", times: 1, drop: "after" });
  ckettle(["start", "greet-guest", "-i", "email=ines@alpha.example", "-i", "hut=juniper", "--wait"], {
    fails: true,
  });
  // Three stays are booked: one is told rightly, one twice, and one is forged.
  const book = async (hut, misbehave) => {
    const headers = { "Content-Type": "application/json", Authorization: "Bearer sk-stays-4b7e1f20c9" };
    const body = JSON.stringify({ guestId: "g-1", hut, nights: 2 });
    await fetch(`${constants.stays}/_control/settings`, {
      method: "PUT",
      headers,
      body: JSON.stringify({ misbehave }),
    });
    await fetch(`${constants.stays}/stays`, { method: "POST", headers, body });
    await new Promise((resolve) => setTimeout(resolve, 700));
  };
  await book("corrie", null);
  await book("eyrie", "twice");
  await book("juniper", "wrong");
  const nap = join(folder, "nap.yaml");
  writeFileSync(
    nap,
    "copper-kettle: 1\nname: evening-round\ntitle: Evening round\ntriggers: { office: { by-hand: {} } }\nsteps:\n  - { step: later, title: Wait until the evening, wait: { for: 6h } }\n  - { step: done, note: done }\n",
  );
  ckettle(["workflow", "push", nap, "--publish"]);
  ckettle(["start", "evening-round"]);
  const bad = join(folder, "greet.yaml");
  writeFileSync(
    bad,
    ckettle(["workflow", "pull", "greet-guest"])
      .replace("request: GET", "reqest: GET")
      .replace("inputs.email.split", "inputs.emial.split")
      .replace("wait: 1s", "wait: 1 second"),
  );

  execFileSync(process.execPath, [cli, "--data", folder, "credential", "add", "wrong"], {
    input: "sk-not-for-the-depot\n",
    stdio: ["pipe", "ignore", "ignore"],
  });

  const browser = await chromium.launch({
    executablePath: "/usr/bin/chromium",
    args: [
      "--no-sandbox",
      "--disable-gpu",
      "--disable-quic",
      "--no-first-run",
      "--disable-background-networking",
      "--disable-component-update",
      "--disable-sync",
    ],
  });
  const runOf = (workflow, state) => json(["run", "list", "--workflow", workflow, "--state", state])[0].id;
  const shoot = async (page, name) => {
    await page.waitForTimeout(900);
    await page.screenshot({ path: join(out, `${name}.png`) });
    say(`  ${name}.png`);
  };
  const open = async (options) => {
    const page = await (
      await browser.newContext({ viewport: { width: 1280, height: 800 }, ...options })
    ).newPage();
    const link = ckettle(["status", "--link"]).trim();
    await page.goto(link);
    await page.getByText("Runs over the last day").waitFor();
    return { page, go: (path) => page.goto(new URL(path, link).href) };
  };
  const light = await open({ colorScheme: "light" });
  await shoot(light.page, "home");
  await light.go("/workflows");
  await shoot(light.page, "workflows");
  await light.go("/workflows/greet-guest");
  await light.page.getByRole("treeitem", { name: /step post, / }).click();
  await light.page.getByLabel("Values of guest").click();
  await shoot(light.page, "workflow");
  await light.go("/workflows/booked-stay");
  await light.page.getByRole("tab", { name: "Triggers" }).click();
  await light.page.getByRole("button", { name: "Look" }).last().click();
  await shoot(light.page, "triggers");
  await light.go("/apis/stays");
  await light.page.getByText("7 of 7").waitFor();
  await shoot(light.page, "api");
  await light.go("/add-api");
  await light.page
    .getByLabel("Document or request")
    .fill(
      `curl -X POST '${constants.stays}/guests/g-1/notes?lang=en' \\\n  -H 'Authorization: Bearer sk-desk-0123456789' \\\n  -H 'X-Desk: corrie' \\\n  -d '{"text":"arrives late"}'`,
    );
  await light.page.getByLabel("Name of the API").fill("desk");
  await light.page.getByText("curl, which writes").waitFor();
  await shoot(light.page, "add-api");
  await light.go("/credentials");
  await light.page.getByText("boards-marit", { exact: true }).waitFor();
  await shoot(light.page, "credentials");
  await light.go("/credentials/boards-marit");
  await light.page.getByRole("button", { name: "Sign in", exact: true }).click();
  await light.page.getByRole("button", { name: "Allow" }).click();
  await light.page.getByText("is signed in as marit").waitFor();
  await light.page.getByRole("button", { name: "Check now" }).click();
  await light.page.getByText("A token was given").waitFor();
  await shoot(light.page, "credential");
  await light.go("/runs");
  await shoot(light.page, "runs");
  const round = runOf("hut-round", "succeeded");
  const throttled = json(["run", "show", round]).entries.find((entry) => entry.wait !== undefined).path;
  const show = async ({ page, go }, name) => {
    await go(`/runs/${round}`);
    await page.getByLabel(`Item ${/\[(\d+)\]/.exec(throttled)[1]}: succeeded`).click();
    await page
      .locator(".step")
      .filter({ has: page.getByText("post", { exact: true }) })
      .click();
    await shoot(page, name);
  };
  await show(light, "run");
  await light.go(`/runs/${runOf("greet-guest", "unsure")}`);
  await shoot(light.page, "unsure");
  await light.go("/workflows/greet-guest");
  await light.page.getByRole("tab", { name: "Start" }).click();
  await light.page.getByLabel("Guest e-mail").fill("mira@alpha.example");
  await light.page.getByText("Test options: rehearse").click();
  await light.page.getByLabel("Rehearse: send only").check();
  await light.page.getByRole("button", { name: "Start run" }).click();
  await light.page.getByText("calls were not sent").waitFor();
  await light.page.getByLabel("What would have been sent").getByText("/guests").click();
  await shoot(light.page, "rehearsal");
  await light.go("/settings/traffic");
  await light.page.getByLabel("Rate limits").waitFor();
  await shoot(light.page, "settings");
  const dark = await open({ colorScheme: "dark" });
  await dark.go("/apis/stays/createStay");
  await dark.page.getByLabel("guestId *").fill("g-1");
  await dark.page.getByLabel("hut *").fill("corrie");
  await dark.page.getByRole("button", { name: "nights" }).click();
  await dark.page.getByRole("button", { name: "Send now", exact: true }).click();
  await dark.page.getByRole("button", { name: "Send" }).click();
  await dark.page.getByText("201").first().waitFor();
  await shoot(dark.page, "operation-dark");
  const terminal = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage();
  const type = async (name, commands) => {
    const lines = commands.map(([typed, args, options]) => ({
      typed,
      printed: ckettle(args, options).replaceAll(folder, ".demo"),
    }));
    await terminal.setContent(terminalPage(lines));
    await terminal.screenshot({ path: join(out, `${name}.png`) });
    say(`  ${name}.png`);
  };
  await type("cli-check", [
    ["ckettle check greet.yaml", ["check", bad], { fails: true }],
    ["ckettle workflow show greet-guest", ["workflow", "show", "greet-guest"]],
  ]);
  await type("cli-lists", [
    ["ckettle workflow list", ["workflow", "list"]],
    ["ckettle trigger list", ["trigger", "list"]],
    ["ckettle run list --limit 10", ["run", "list", "--limit", "10"]],
  ]);
  await type("cli-run-show", [
    ["ckettle run show " + runOf("greet-guest", "unsure"), ["run", "show", runOf("greet-guest", "unsure")]],
  ]);
  await type("cli-try", [
    [
      "ckettle try stays.searchGuests -p email=odd@huts.example",
      ["try", "stays.searchGuests", "-p", "email=odd@huts.example"],
    ],
    ["ckettle try stays.guest", ["try", "stays.guest"], { fails: true }],
    [
      "ckettle try depot.listOrders --using wrong",
      ["try", "depot.listOrders", "--using", "wrong"],
      { fails: true },
    ],
    [
      "ckettle credential check tanks-signature --call $TANKS/tanks",
      ["credential", "check", "tanks-signature", "--call", `${constants.tanks}/tanks`],
    ],
    ["ckettle credential check ledger-machine", ["credential", "check", "ledger-machine"]],
    [
      "ckettle credential check trails-key --call $STORES/items/T-100",
      ["credential", "check", "trails-key", "--call", `${constants.stores}/items/T-100`],
      { fails: true },
    ],
  ]);
  const [first, second] = json(["run", "list", "--workflow", "greet-guest", "--state", "succeeded"]);
  await type("cli-by-hand", [
    [
      "ckettle start greet-guest -i email=odd@huts.example -i hut=eyrie --wait",
      ["start", "greet-guest", "-i", "email=odd@huts.example", "-i", "hut=eyrie", "--wait"],
    ],
    [
      "ckettle rehearse greet-guest -i email=tilda@alpha.example",
      ["rehearse", "greet-guest", "-i", "email=tilda@alpha.example"],
    ],
    [`ckettle run compare ${second.id} ${first.id}`, ["run", "compare", second.id, first.id]],
  ]);
  await browser.close();
  say(`${readdirSync(out).length} pictures in docs/screenshots`);
} finally {
  demo.kill("SIGTERM");
  await new Promise((resolve) => demo.once("exit", resolve));
  rmSync(folder, { recursive: true, force: true });
}
