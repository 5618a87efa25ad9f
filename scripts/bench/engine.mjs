import { changing } from "./units.mjs";
import { execFileSync } from "node:child_process";
import { readFileSync, statSync } from "node:fs";
import { join } from "node:path";
import { Agent, request } from "undici";
import { ended, publish, startMany, startService } from "./service-run.mjs";

const sleep = (millis) => new Promise((resolve) => setTimeout(resolve, millis));
const median = (list) => [...list].sort((a, b) => a - b)[Math.floor(list.length / 2)];
const percentile = (list, part) => [...list].sort((a, b) => a - b)[Math.floor(list.length * part)];

/** Memory of a process that is really its own, in MB. */
function memoryOf(pid) {
  const line = /VmRSS:\s+(\d+) kB/.exec(readFileSync(`/proc/${pid}/status`, "utf8"));
  return Number(line?.[1] ?? 0) / 1024;
}

const loopFile = (name, count) =>
  `copper-kettle: 1
name: ${name}
steps:
  - step: round
    each: lists.range(1000).map(x, lists.range(${count / 1000})).flatten()
    parallel: 20
    steps:
      - { step: look, request: "GET \${constants.base}/guests", query: { email: odd@huts.example } }
`.replace("lists.range(1000).map(x, lists.range(0.1)).flatten()", "lists.range(100)");

/** A loop over many items: against the bare loop, against a short one, its memory, and a kill in its middle. */
async function looping(folder, base, bare) {
  const service = await startService(join(folder, "loop"), base);
  const run = async (name, count) => {
    await publish(service.call, name, loopFile(name, count));
    const { id } = await service.call("POST", `/api/workflows/${name}/runs`, { inputs: {} });
    await ended(service.call, name);
    const { startedAt, endedAt } = await service.call("GET", `/api/runs/${id}`);
    return Date.parse(endedAt) - Date.parse(startedAt);
  };
  await run("warm", 1_000);
  const idle = memoryOf(service.child.pid);
  let most = idle;
  const watch = setInterval(() => (most = Math.max(most, memoryOf(service.child.pid))), 25);
  const pairs = [];
  for (let round = 0; round < 2; round++)
    pairs.push({ bare: 10_000_000 / (await bare(10_000, 20, 1)), ours: await run(`long-${round}`, 10_000) });
  clearInterval(watch);
  const short = Math.min(
    await run("short-1", 100),
    await run("short-2", 100),
    await run("short-3", 100),
    await run("short-4", 100),
  );
  const best = (key) => Math.min(...pairs.map((pair) => pair[key]));
  const killed = await killedLoop(service, folder, base);
  return {
    bare: best("bare"),
    ours: best("ours"),
    perItem: best("ours") / 10_000 / (short / 100),
    memory: most - idle,
    ...killed,
  };
}

/** The service killed in the middle of a loop: when is it under way again, and how many calls were made in all? */
async function killedLoop(service, folder, base) {
  const count = async () => (await (await fetch(`${base}/count`)).json()).guests;
  const before = await count();
  await publish(service.call, "killed", loopFile("killed", 10_000));
  await service.call("POST", "/api/workflows/killed/runs", { inputs: {} });
  while ((await count()) - before < 5_000) await sleep(5);
  service.child.kill("SIGKILL");
  await new Promise((resolve) => service.child.once("exit", resolve));
  const at = await count();
  const began = performance.now();
  const again = await startService(join(folder, "loop"), base);
  while ((await count()) <= at) await sleep(2);
  const underWay = performance.now() - began;
  await ended(again.call, "killed");
  const calls = (await count()) - before;
  await again.stop();
  return { underWay, repeated: calls - 10_000 };
}

/** Ten thousand runs asleep: memory, the start of the service, and how punctual a woken run is. */
async function sleeping(folder, base) {
  const place = join(folder, "asleep");
  let service = await startService(place, base);
  const idle = memoryOf(service.child.pid);
  const file = "copper-kettle: 1\nname: asleep\nsteps:\n  - { step: nap, wait: { for: 3h } }\n";
  await publish(service.call, "asleep", file);
  await startMany(service.call, "asleep", 10_000, 32);
  for (;;) {
    const { runs } = await service.call("GET", "/api/runs?workflow=asleep&state=queued,running&limit=1");
    if (runs.length === 0) break;
    await sleep(50);
  }
  await service.stop();
  const began = performance.now();
  service = await startService(place, base);
  const ready = performance.now() - began;
  await sleep(1_500);
  const memory = memoryOf(service.child.pid) - idle;
  const punctual = "copper-kettle: 1\nname: punctual\nsteps:\n  - { step: nap, wait: { for: 31s } }\n";
  await publish(service.call, "punctual", punctual);
  const { id } = await service.call("POST", "/api/workflows/punctual/runs", { inputs: {} });
  await ended(service.call, "punctual");
  const { entries } = await service.call("GET", `/api/runs/${id}/journal?limit=100`);
  const wanted = entries.find(({ entry }) => entry.type === "begun").entry.data.until;
  const acted = entries.find(({ entry }) => entry.type === "ended").entry.at;
  await service.stop();
  return { memory, ready, late: acted - wanted };
}

/** Starts that are durable before they are answered, against a bare route; and how soon a start acts. */
async function starting(folder, base, startBare) {
  const { url: bareRoute, stop: stopBare } = await startBare();
  const service = await startService(join(folder, "starts"), base);
  await publish(
    service.call,
    "idle",
    "copper-kettle: 1\nname: idle\nlimits: { parallel: 1 }\nsteps:\n  - { step: nap, wait: { for: 3h } }\n",
  );
  const dispatcher = new Agent({ connections: 64 });
  const rate = async (post) => {
    let left = 3_000;
    const began = performance.now();
    const starter = async () => {
      while (left-- > 0) await post();
    };
    await Promise.all(Array.from({ length: 32 }, starter));
    return 3_000_000 / (performance.now() - began);
  };
  const bareStart = async () => {
    const answer = await request(`${bareRoute}/starts`, {
      dispatcher,
      method: "POST",
      headers: { "Content-Type": "application/json" },
      body: '{"inputs":{}}',
    });
    await answer.body.json();
  };
  const pairs = [];
  for (let round = 0; round < 3; round++)
    pairs.push({
      bare: await rate(bareStart),
      ours: await rate(() => service.call("POST", "/api/workflows/idle/runs", { inputs: {} })),
    });
  const best = (key) => Math.max(...pairs.map((pair) => pair[key]));
  await service.stop();
  stopBare();

  const other = await startService(join(folder, "first-byte"), base);
  await publish(
    other.call,
    "quick",
    'copper-kettle: 1\nname: quick\nsteps:\n  - { step: look, request: "GET ${constants.base}/guests", query: { email: odd@huts.example } }\n',
  );
  const soon = [];
  for (let count = 0; count < 60; count++) {
    const began = Date.now();
    const { id } = await other.call("POST", "/api/workflows/quick/runs", { inputs: {} });
    await ended(other.call, "quick", 5);
    const { entries } = await other.call("GET", `/api/runs/${id}/journal?limit=100`);
    soon.push(entries.find(({ entry }) => entry.type === "attempt").entry.sentAt - began);
  }
  await publish(other.call, "busy", loopFile("busy", 10_000));
  await other.call("POST", "/api/workflows/busy/runs", { inputs: {} });
  const answers = [];
  for (;;) {
    const { runs } = await other.call("GET", "/api/runs?workflow=busy&state=queued,running,waiting&limit=1");
    if (runs.length === 0) break;
    const began = performance.now();
    await other.call("POST", "/api/workflows/quick/runs", { inputs: {} });
    answers.push(performance.now() - began);
    await sleep(10);
  }
  await other.stop();
  return { bare: best("bare"), ours: best("ours"), firstByte: median(soon), busy: percentile(answers, 0.95) };
}

/** Twenty thousand runs with retention at a thousand: the database does not grow without end. */
async function forgetting(folder, base) {
  const place = join(folder, "forgetting");
  const service = await startService(place, base);
  await service.call("PUT", "/api/settings/retention", { runs: 1_000 });
  await publish(
    service.call,
    "small",
    "copper-kettle: 1\nname: small\nsteps:\n  - { step: a, note: \"${lists.range(40).map(x, run.id).join(' ')}\" }\n",
  );
  const size = () => Number(execFileSync("du", ["-sk", place]).toString().split("\t")[0]);
  const sizes = [];
  for (let part = 0; part < 4; part++) {
    await startMany(service.call, "small", 5_000, 32);
    await ended(service.call, "small");
    await service.call("POST", "/api/retention/prune");
    sizes.push(size());
  }
  await service.stop();
  return {
    first: sizes[0] / 1024,
    last: sizes[3] / 1024,
    database: statSync(join(place, "copper-kettle.sqlite")).size / 1_048_576,
  };
}

const ratio = (ours, bare) => (ours / bare).toFixed(2);
const mb = (size) => `${Math.max(0, Math.round(size))} MB`;
const whole = (number) => Math.round(number).toLocaleString("en");

/**
 * The figures of the engine, as rows of a table: what, measured, target.
 * @param bare items or steps a second of the bare loop
 * @param startBare starts the bare route and says where it is
 */
export async function engine(folder, base, bare, startBare, say) {
  say("Measuring: a loop over 10,000 items, and a kill in its middle …");
  const loop = await looping(folder, base, bare);
  say("Measuring: 10,000 runs asleep …");
  const asleep = await sleeping(folder, base);
  say("Measuring: starts …");
  const starts = await starting(folder, base, startBare);
  say("Measuring: units of work …");
  const changed = await changing(folder);
  say("Measuring: 20,000 runs, of which 1,000 are kept …");
  const kept = await forgetting(folder, base);
  const loopRatio = `${ratio(loop.bare, loop.ours)} (${whole(loop.ours)} ms against ${whole(loop.bare)} ms)`;
  const startRatio = `${ratio(starts.ours, starts.bare)} (${whole(starts.ours)} against ${whole(starts.bare)} a second)`;
  return [
    [
      "`each` over 10,000 items, `parallel: 20`, against the bare loop",
      loopRatio,
      "0.6",
      loop.bare / loop.ours >= 0.6,
    ],
    [
      "time an item at 10,000 items, against that at 100",
      loop.perItem.toFixed(2),
      "at most 1.15",
      loop.perItem <= 1.15,
    ],
    ["memory of that loop above idle", mb(loop.memory), "under 250 MB", loop.memory < 250],
    [
      "killed at item 5,000: from the new start of the service to its next call",
      `${whole(loop.underWay)} ms`,
      "3 s",
      loop.underWay <= 3_000,
    ],
    [
      "reading calls that it made twice: those whose end was not yet durable",
      `${loop.repeated}`,
      "none that writes",
    ],
    ["10,000 runs asleep: memory above idle", mb(asleep.memory), "under 50 MB", asleep.memory < 50],
    [
      "the service ready after its start, with them",
      `${whole(asleep.ready)} ms`,
      "2 s",
      asleep.ready <= 2_000,
    ],
    ["a woken run acts, after its time", `${whole(asleep.late)} ms`, "1 s", asleep.late <= 1_000],
    [
      "starts, durable before they are answered, against a bare Express route",
      startRatio,
      "0.6",
      starts.ours / starts.bare >= 0.6,
    ],
    [
      "units of work that change one row, 50 side by side, against bare rows in a group commit",
      `${ratio(changed.ours, changed.bare)} (${whole(changed.ours)} against ${whole(changed.bare)} a second)`,
      "0.25",
      changed.ours / changed.bare >= 0.25,
    ],
    [
      "from a start to the first byte that goes out, median, idle",
      `${starts.firstByte} ms`,
      "under 10 ms",
      starts.firstByte < 10,
    ],
    [
      "answer to a start while a loop of 10,000 goes on, 95th percentile",
      `${whole(starts.busy)} ms`,
      "50 ms",
      starts.busy <= 50,
    ],
    ["data folder after 5,000 runs, 1,000 kept", mb(kept.first), "–"],
    [
      "data folder after 20,000 runs, 1,000 kept",
      mb(kept.last),
      "as after 5,000",
      kept.last < 1.25 * kept.first,
    ],
  ];
}
