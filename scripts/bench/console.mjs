import { spawnSync } from "node:child_process";
import { readFileSync } from "node:fs";
import { join } from "node:path";
import { gzipSync } from "node:zlib";
import { chromium } from "playwright-core";
import { root } from "../lib/prepare.mjs";
import { ended, publish, startService } from "./service-run.mjs";

const percentile = (values, part) =>
  [...values].sort((a, b) => a - b)[Math.min(values.length - 1, Math.floor(values.length * part))] ?? 0;

/** A workflow of so many steps, each of which reads the one before. */
function longWorkflow(name, steps) {
  const lines = Array.from({ length: steps }, (_, index) =>
    index % 5 === 4
      ? `  - { step: s${index}, set: { v${index}: "\${size(steps.s${index - 1}.body.items)}" } }`
      : `  - { step: s${index}, request: "GET \${constants.base}/guests", query: { email: "g${index}@huts.example" } }`,
  );
  return `copper-kettle: 1\nname: ${name}\nsteps:\n${lines.join("\n")}\n`;
}

/** Notes, in the page, how long each task was that held it up, and how long each key waited for its frame. */
function watch() {
  window.noted = { tasks: [], keys: [] };
  new PerformanceObserver((list) => {
    for (const { duration } of list.getEntries()) window.noted.tasks.push(duration);
  }).observe({ type: "longtask" });
  new PerformanceObserver((list) => {
    for (const { name, duration } of list.getEntries())
      if (name === "keydown" || name === "keypress") window.noted.keys.push(duration);
  }).observe({ type: "event", durationThreshold: 16 });
}

/** Clicks where `selector` is, and gives the time until the page holds what is looked for, by the browser's own clock. */
const until = (page, selector, text, count) =>
  page.evaluate(
    ([selector, text, count]) =>
      new Promise((resolve) => {
        const began = performance.now();
        const look = () => {
          const found = [...document.querySelectorAll(selector)].filter((one) =>
            one.textContent.includes(text),
          );
          if (found.length >= count) resolve(performance.now() - began);
          else requestAnimationFrame(look);
        };
        look();
      }),
    [selector, text, count],
  );

/**
 * Notes, in the page, how long after the next key the field says nothing any more, and how long after it the head line
 * does not: until the frame that shows it. It looks when something of the page has changed; to look at each frame would
 * make frames that nobody else needs.
 */
function noteKey() {
  const saysNothing = (selector) => document.querySelector(selector) === null;
  const gone = (selector, began) =>
    new Promise((resolve) => {
      const frame = () => requestAnimationFrame(() => resolve(performance.now() - began));
      const seen = new MutationObserver(() => {
        if (!saysNothing(selector)) return;
        seen.disconnect();
        frame();
      });
      if (saysNothing(selector)) frame();
      else seen.observe(document.body, { subtree: true, childList: true, attributes: true });
    });
  window.noted.right = new Promise((resolve) => {
    const looking = async () => {
      const began = performance.now();
      const [field, whole] = await Promise.all([
        gone("main .code .fault", began),
        gone("main button.mark", began),
      ]);
      resolve({ field, whole });
    };
    addEventListener("keydown", looking, { once: true, capture: true });
  });
}

/** The CPU of one call of a command, in milliseconds: what its process used from its start to its end. */
function cpuOf(args) {
  const telling = join(root, "scripts/bench/tell-cpu.cjs");
  const { stderr } = spawnSync(process.execPath, ["--require", telling, ...args], { encoding: "utf8" });
  const { user, system } = JSON.parse(/CPU (.*)$/.exec(stderr)[1]);
  return (user + system) / 1_000;
}
const medianCpu = (args) =>
  percentile(
    Array.from({ length: 9 }, () => cpuOf(args)),
    0.5,
  );

/** The console in headless Chromium, by the browser's own clock. */
export async function usingConsole(folder, base, say) {
  const service = await startService(join(folder, "console"), base);
  const browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox"] });
  try {
    say("Measuring: the console …");
    await service.call("PUT", "/api/workflows/long", { text: longWorkflow("long", 500) });
    await publish(
      service.call,
      "many",
      `copper-kettle: 1\nname: many\nsteps:\n  - step: round\n    each: lists.range(10000)\n    parallel: 20\n    steps: [{ step: a, note: "\${item}" }]\n`,
    );
    const { id } = await service.call("POST", "/api/workflows/many/runs", { inputs: {} });
    await ended(service.call, "many");
    const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
    const page = await context.newPage();
    await page.addInitScript(watch);
    // The first page: what a browser that knows nothing yet has to read before it shows anything.
    const scripts = new Set();
    page.on("response", (response) => {
      if (/\/assets\/.*\.js$/.test(new URL(response.url()).pathname))
        scripts.add(new URL(response.url()).pathname);
    });
    const { url } = await service.call("POST", "/api/session/links", {});
    await page.goto(url);
    await page.getByText("Runs over the last day").waitFor();
    const first = [...scripts].reduce(
      (sum, path) => sum + gzipSync(readFileSync(join(root, "console/dist", path))).length,
      0,
    );

    const opens = [];
    const opensRun = [];
    for (let round = 0; round < 5; round++) {
      await page.goto(`${service.url}/workflows`);
      await page.getByRole("link", { name: "long" }).first().waitFor();
      // Nobody clicks before they have read where.
      await page.waitForTimeout(1_500);
      await page.evaluate(() =>
        [...document.querySelectorAll("a")].find((a) => a.pathname === "/workflows/long").click(),
      );
      opens.push(await until(page, "[role=treeitem]", "s4", 5));
      await page.goto(`${service.url}/runs`);
      await page.getByText("many").first().waitFor();
      await page.waitForTimeout(1_500);
      await page.evaluate(
        (run) => [...document.querySelectorAll("a")].find((a) => a.pathname === `/runs/${run}`).click(),
        id,
      );
      opensRun.push(await until(page, ".cells .cell", "", 400));
    }
    await page.evaluate(() => (window.noted.tasks.length = 0));
    for (let count = 0; count < 40; count++) {
      await page.mouse.move(300, 400);
      await page.mouse.wheel(0, 400);
      await page.waitForTimeout(25);
    }
    const scrolled = await page.evaluate(() => window.noted.tasks);

    await page.goto(`${service.url}/workflows/long`);
    await page.getByRole("treeitem", { name: /step s0, / }).click();
    // Once for the code of the fields, then for the figure.
    const field = page.getByRole("textbox", { name: "request", exact: true });
    await field.click();
    await page.waitForTimeout(2_000);
    await page.evaluate(() => (window.noted.keys.length = 0));
    const keys = 100;
    await page.keyboard.type("abcdefghij".repeat(keys / 10), { delay: 60 });
    await page.waitForTimeout(1_000);
    // A key that took under 16 ms is not reported.
    const reported = await page.evaluate(() => window.noted.keys);
    const all = [...reported, ...Array.from({ length: Math.max(0, keys - reported.length) }, () => 16)];
    // One key that puts the field right: it is the last `}` of an expression.
    const right = "GET ${constants.base}/guests?at=${constants.base";
    await page.keyboard.press("Control+a");
    await page.keyboard.type(right, { delay: 20 });
    const checks = [];
    const wholeChecks = [];
    for (let round = 0; round < 9; round++) {
      await page.getByRole("button", { name: "1 problem" }).waitFor();
      await page.waitForTimeout(1_500);
      await page.evaluate(noteKey);
      await page.keyboard.press("}");
      const { field, whole } = await page.evaluate(() => window.noted.right);
      checks.push(field);
      wholeChecks.push(whole);
      await page.waitForTimeout(1_500);
      await page.keyboard.press("Backspace");
    }
    const command = medianCpu([
      join(root, "cli/bin/ckettle.cjs"),
      "--data",
      join(folder, "console"),
      "run",
      "list",
    ]);
    const bare = medianCpu(["-e", "0"]);
    const row = (what, millis, most, unit = "ms") => [
      what,
      `${Math.round(millis).toLocaleString("en")} ${unit}`,
      `${most} ${unit}`,
      millis <= most,
    ];
    return [
      row("first page: script, gzip", first / 1_000, 250, "kB"),
      row("500 steps: opening, from the click to the outline, median", percentile(opens, 0.5), 500),
      row("500 steps: a key in a field, 95th percentile", percentile(all, 0.95), 50),
      row(
        "500 steps: what is wrong with the field, after the last key, median",
        percentile(checks, 0.5),
        100,
      ),
      row(
        "500 steps: the check of the whole file, after that key, median",
        percentile(wholeChecks, 0.5),
        100,
      ),
      row("a run of 10,000 items: opening, median", percentile(opensRun, 0.5), 500),
      row("scrolling it: the longest task", Math.max(0, ...scrolled), 50),
      row(
        `one call of \`ckettle run list\`: CPU (of which ${Math.round(bare)} ms are the start of Node)`,
        command,
        300,
      ),
    ];
  } finally {
    await browser.close();
    await service.stop();
  }
}
