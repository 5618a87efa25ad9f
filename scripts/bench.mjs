import { spawn } from "node:child_process";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { build, installPackages, root, say } from "./lib/prepare.mjs";
import { describing } from "./bench/apis.mjs";
import { authorizing } from "./bench/authorize.mjs";
import { usingConsole } from "./bench/console.mjs";
import { engine } from "./bench/engine.mjs";
import { checking, evaluating, kept } from "./bench/expressions.mjs";
import { triggering } from "./bench/triggers.mjs";
import { ended, publish, readingWorkflow, startMany, startService } from "./bench/service-run.mjs";

// npm run bench: each figure is a ratio against a baseline measured in the same run, on the same machine.
await installPackages();
await build();

const folder = mkdtempSync(join(tmpdir(), "ckettle-bench-"));
const node = (file, args = []) =>
  spawn(process.execPath, [join(root, "scripts/bench", file), ...args], {
    stdio: ["pipe", "pipe", "inherit"],
  });
const reached = (met) => (met ? "" : "missed");
const tableOf = (figures) =>
  [
    "| figure | measured | target | |",
    "|---|---:|---:|---|",
    ...figures.map(
      ([what, measured, target, met = true]) => `| ${what} | ${measured} | ${target} | ${reached(met)} |`,
    ),
  ].join("\n");
const firstLine = (child) =>
  new Promise((resolve, reject) => {
    let text = "";
    child.stdout.on("data", (piece) => {
      text += piece;
      if (text.includes("\n")) resolve(text.trim());
    });
    child.once("exit", () => reject(new Error("it printed nothing")));
  });

const far = node("answering.mjs");
const base = await firstLine(far);
const rows = [];

/** So many runs come first on both sides, and do not count. */
const warmUp = 500;

async function bare(runs, parallel, steps) {
  const { millis } = JSON.parse(
    await firstLine(
      node("bare-loop.mjs", [
        base,
        join(folder, `bare-${Math.random()}.sqlite`),
        runs,
        parallel,
        steps,
        Math.min(warmUp, runs),
      ]),
    ),
  );
  return (runs * steps * 1000) / millis;
}

let bareRoutes = 0;

/** Starts the bare route for starts, on a database of its own. */
async function startBare() {
  const child = node("bare-starts.mjs", [join(folder, `bare-starts-${bareRoutes++}.sqlite`)]);
  return { url: await firstLine(child), stop: () => child.stdin.end() };
}

/**
 * The rate of steps while runs of a workflow go on, that many side by side. The runs are started first, while all are
 * paused: how fast they are started is a figure of its own, and the loop on the API has nothing like it.
 */
async function through(service, name, runs, parallel, steps) {
  await publish(service.call, name, readingWorkflow(name, steps, parallel));
  await startMany(service.call, name, warmUp, 16);
  await ended(service.call, name);
  const [newest] = (await service.call("GET", `/api/runs?workflow=${name}&limit=1`)).runs;
  await service.call("PUT", "/api/pause", { paused: true });
  await startMany(service.call, name, runs, 16);
  await service.call("PUT", "/api/pause", { paused: false });
  await ended(service.call, name);
  let [first, last] = [Number.POSITIVE_INFINITY, 0];
  let before = "";
  for (;;) {
    const { runs: all } = await service.call("GET", `/api/runs?workflow=${name}&limit=200${before}`);
    const page = all.filter(({ id }) => id > newest.id);
    for (const { startedAt, endedAt } of page)
      [first, last] = [Math.min(first, Date.parse(startedAt)), Math.max(last, Date.parse(endedAt))];
    if (page.length < 200) break;
    before = `&before=${page.at(-1).id}`;
  }
  return (runs * steps * 1000) / (last - first);
}

/** How many token requests 1,000 runs make that start together with a token that the API refuses. */
async function crowd(service) {
  await service.call("PUT", "/api/credentials/crowd", {
    kind: "oauth2",
    grant: "client-credentials",
    tokenUrl: `${base}/token`,
    clientId: "bench",
    clientSecret: "bench-secret",
  });
  await service.call("POST", "/api/credentials/crowd/check", {});
  const count = async () => (await (await fetch(`${base}/tokens`)).json()).tokens;
  const before = await count();
  const file = `copper-kettle: 1\nname: crowd\nsteps:\n  - { step: a, request: "GET \${constants.base}/guests", using: crowd }\n`;
  await publish(service.call, "crowd", file);
  await Promise.all(
    Array.from({ length: 1_000 }, () => service.call("POST", "/api/workflows/crowd/runs", { inputs: {} })),
  );
  await ended(service.call, "crowd");
  return (await count()) - before;
}

let authorized;
let tokenRequests;
let described;
let evaluated;
let checked;
let engineRows;
let triggerRows;
let consoleRows;
const onlyTriggers = process.argv.includes("--triggers");
try {
  if (onlyTriggers) {
    console.log(tableOf(await triggering(folder, base, startBare, say)));
    process.exit(0);
  }
  const service = await startService(join(folder, "data"), base);
  const compare = async (what, target, runs, parallel, steps) => {
    say(`Measuring: ${what} …`);
    // In turns, so that a slow moment of the machine meets both; the best of each counts.
    const pairs = [];
    for (let round = 0; round < 3; round++) {
      pairs.push({
        bare: await bare(runs, parallel, steps),
        ours: await through(service, `bench-${parallel}-${round}`, runs, parallel, steps),
      });
    }
    const best = (key) => Math.max(...pairs.map((pair) => pair[key]));
    rows.push({ what, bare: best("bare"), ours: best("ours"), target });
  };
  await compare("steps a second, 5-step runs, 50 side by side", 0.35, 3_000, 50, 5);
  await compare("steps a second, 5-step runs, one at a time", 0.75, 3_000, 1, 5);
  say("Measuring: authorizing …");
  authorized = await authorizing(base);
  say("Measuring: 1,000 runs with a token that is refused …");
  tokenRequests = await crowd(service);
  say("Measuring: described APIs …");
  described = await describing(service, base);
  await service.stop();
  engineRows = await engine(folder, base, bare, startBare, say);
  triggerRows = await triggering(folder, base, startBare, say);
  consoleRows = await usingConsole(folder, base, say);
  say("Measuring: expressions …");
  evaluated = await evaluating();
  checked = await checking();
} finally {
  far.stdin.end();
  rmSync(folder, { recursive: true, force: true });
}

const table = [
  "| figure | bare loop | Copper Kettle | ratio | at least | |",
  "|---|---:|---:|---:|---:|---|",
  ...rows.map(
    ({ what, bare: bareRate, ours, target }) =>
      `| ${what} | ${Math.round(bareRate)} | ${Math.round(ours)} | ${(ours / bareRate).toFixed(2)} | ${target ?? "–"} | ${reached(target === undefined || ours / bareRate >= target)} |`,
  ),
].join("\n");
const engineTable = tableOf(engineRows);
const triggerTable = tableOf(triggerRows);
const consoleTable = tableOf(consoleRows);
const authorizingTable = [
  "| authorizing a call | ms a call | of one bare call | at most |",
  "|---|---:|---:|---:|",
  ...authorized.rows.map(
    ({ what, millis, most }) =>
      `| ${what} | ${millis.toFixed(4)} | ${(millis / authorized.bare).toFixed(3)} | ${most} ms |`,
  ),
].join("\n");
const describedTable = [
  "| described APIs | ms | against | ratio | at most |",
  "|---|---:|---|---:|---:|",
  ...described.map(
    ({ what, millis, baseline, ratio, most }) =>
      `| ${what} | ${millis < 10 ? millis.toFixed(3) : Math.round(millis)} | ${baseline} | ${ratio.toFixed(3)} | ${most} |`,
  ),
].join("\n");
const rounded = (rate) => (rate === undefined ? "–" : Math.round(rate).toLocaleString("en"));
const expressionTable = [
  "| expressions, a second | ours | jsonata | ratio | at least | by hand | of that |",
  "|---|---:|---:|---:|---:|---:|---:|",
  ...evaluated.map(
    ({ what, ours, theirs, hand, least }) =>
      `| ${what} | ${rounded(ours)} | ${rounded(theirs)} | ${(ours / theirs).toFixed(1)} | ${least} | ${rounded(hand)} | ${hand === undefined ? "–" : (ours / hand).toFixed(3)} |`,
  ),
].join("\n");
const keptBytes = kept();
const checkLines = `Checking one value against the shapes at the end of a workflow of 50 steps takes ${checked.one.toFixed(3)} ms (at most 5), reading the whole file ${checked.whole.toFixed(1)} ms.${keptBytes === undefined ? "" : ` A compiled expression that ran on 200 rows keeps ${Math.max(0, Math.round(keptBytes))} bytes more than before.`}`;
const crowdLine = `1,000 runs that start together with a token that the API refuses make ${tokenRequests} token request${tokenRequests === 1 ? "" : "s"}.`;
console.log(
  `${table}\n\n${engineTable}\n\n${triggerTable}\n\n${consoleTable}\n\n${authorizingTable}\n\n${crowdLine}\n\n${describedTable}\n\n${expressionTable}\n\n${checkLines}`,
);
if (process.argv.includes("--keep")) {
  const text = `# Benchmarks

Made by \`npm run bench -- --keep\`. Only the ratios mean something elsewhere: both sides of each were measured in
turns in the same run on the same machine, and the best of three counts. Both sides do the same number of runs (3,000),
behind 500 that do not count.

The bare loop is the script that an engineer would write instead: the same HTTP calls with the same HTTP library, and
one row a step in SQLite with the same durability (group commit, \`synchronous=FULL\`), with none of our code. Our side
is the whole service: each run is started over HTTP, its journal is durable before it acts, and what happened can be
read afterwards.

${table}

The runs are started first, while all are paused, and measured from the first step to the last: how fast runs are
started has its own row below.

## The engine

${engineTable}

The loop and the kill: one GET an item. What is called twice after the kill are reading calls whose end was not yet
durable; a call that writes is never sent twice for that (\`npm run chaos\` shows it). Ready is when \`/readyz\` says so,
with the start of Node in it. The bare route takes a JSON body, keeps it in one group-committed row, and answers 202.
Up to 40 MB of the data folder are the log of the database, which goes at a stop.

## Triggers

${triggerTable}

Deliveries are signed, and sent by autocannon on 32 connections to both sides, 500 before the 3,000 that count; the runs that they
start wait in a queue. A look is one that starts nothing, since all is known: its time is that of *look now* less that of a plain
fetch and parse of the same list.

## The console and the command line

${consoleTable}

In headless Chromium, by the browser's own clock, medians of five, of the checks of nine. A key is one in the field of a request; those under 16 ms are not
reported by the browser, and count as 16. The checks are those after a key that
puts a field right: until the field says nothing any more, and until the head line, which counts the problems of the whole file, does not.

## Credentials

A bare call is one GET over loopback with the same HTTP library, kept alive: ${authorized.bare.toFixed(3)} ms in this run. One HMAC-SHA-256
over the same body with Node's own crypto took ${authorized.digest.toFixed(4)} ms.

${authorizingTable}

${crowdLine}

## APIs

Importing goes over the service's own HTTP API, and ends when the document is durable. The shape is compared in one thread, with
1,000 different responses; a step is one of five calls of a run of the whole service that bring such a response.

${describedTable}

## Expressions

The API is jsonata, another open expression language, on the same data; and functions written by hand for the one case.

${expressionTable}

${checkLines}
`;
  writeFileSync(join(root, "docs/benchmarks.md"), text);
}
