import autocannon from "autocannon";
import { createHmac, randomUUID } from "node:crypto";
import { createServer } from "node:http";
import { join } from "node:path";
import { publish, startService } from "./service-run.mjs";

const secretBytes = Buffer.from("a secret of twenty-four b");
const sleep = (millis) => new Promise((resolve) => setTimeout(resolve, millis));
const quantile = (values, part) =>
  values.sort((a, b) => a - b)[Math.min(values.length - 1, Math.floor(values.length * part))];
const whole = (number) => Math.round(number).toLocaleString("en");

/** A delivery of 1 kB, with an id of its own, signed by Standard Webhooks. */
function delivery(path) {
  const id = randomUUID();
  const body = JSON.stringify({ type: "stay.booked", data: { id, note: "x".repeat(920) } });
  const time = String(Math.floor(Date.now() / 1_000));
  const signature = createHmac("sha256", secretBytes).update(`${id}.${time}.${body}`).digest("base64");
  return {
    method: "POST",
    path,
    headers: {
      "Content-Type": "application/json",
      "webhook-id": id,
      "webhook-timestamp": time,
      "webhook-signature": `v1,${signature}`,
    },
    body,
  };
}

let sent = 0;

/** Deliveries a second, by a stock load generator, from the first to the last response. */
async function rate(url, path, amount) {
  const setupRequest = (request) => {
    const { headers, ...more } = delivery(path);
    // Of one address only so many a minute are taken: they come as from many.
    const from = `10.0.${Math.floor(sent / 200) % 250}.${sent++ % 200}`;
    return { ...request, ...more, headers: { ...headers, "X-Forwarded-For": from } };
  };
  let last = 0;
  let refused = "";
  const began = performance.now();
  await new Promise((resolve, reject) => {
    const generator = autocannon({ url, connections: 32, amount, requests: [{ setupRequest }] }, (error) =>
      error ? reject(error) : resolve(),
    );
    generator.on("response", (_client, status) => {
      last = performance.now();
      if (status !== 202) refused = `A delivery was answered ${status}.`;
    });
  });
  if (refused) throw new Error(refused);
  return (amount * 1_000) / (last - began);
}

async function delivering(folder, base, startBare) {
  const { url: bareRoute, stop } = await startBare();
  const service = await startService(join(folder, "deliveries"), base, {
    COPPER_KETTLE_TRUSTED_PROXIES: "127.0.0.1/32",
  });
  await service.call("PUT", "/api/credentials/hook", {
    kind: "secret",
    secret: `whsec_${secretBytes.toString("base64")}`,
  });
  await publish(
    service.call,
    "told",
    `copper-kettle: 1
name: told
limits: { parallel: 1 }
triggers:
  told: { webhook: { path: told, verify: { standard-webhooks: hook } }, once-per: trigger.body.data.id }
steps: [{ step: nap, wait: { for: 3h } }]
`,
  );
  await publish(
    service.call,
    "asked",
    `copper-kettle: 1
name: asked
triggers:
  asked: { webhook: { path: asked, verify: { standard-webhooks: hook }, response: from-run } }
steps: [{ step: reply, respond: { body: { ok: true } } }]
`,
  );
  const url = service.url;
  await rate(bareRoute, "/starts", 500);
  await rate(url, "/webhooks/told", 500);
  const pairs = [];
  for (let round = 0; round < 3; round++)
    pairs.push({
      bare: await rate(bareRoute, "/starts", 3_000),
      ours: await rate(url, "/webhooks/told", 3_000),
    });
  const waits = [];
  for (let count = 0; count < 300; count++) {
    const { path, ...request } = delivery("/webhooks/asked");
    const began = performance.now();
    await (await fetch(url + path, request)).text();
    waits.push(performance.now() - began);
  }
  await service.stop();
  stop();
  const best = (key) => Math.max(...pairs.map((pair) => pair[key]));
  return { bare: best("bare"), ours: best("ours"), fromRun: quantile(waits.slice(50), 0.5) };
}

/** How late runs are created whose beats all fall on one instant. */
async function beating(folder, base, { workflows, each, every }) {
  const service = await startService(join(folder, `beats-${workflows * each}`), base);
  await publish(
    service.call,
    "asked",
    `copper-kettle: 1
name: asked
triggers: { asked: { webhook: { path: asked, verify: none } } }
steps: [{ step: one, set: { a: 1 } }]
`,
  );
  const { address } = await service.call("POST", "/api/workflows/asked/triggers/asked/address", {});
  const from = new Date(Date.now() + 8_000 + workflows * 3_000);
  const lines = Array.from(
    { length: each },
    (_, at) => `  t${at}: { schedule: { every: ${every}, from: "${from.toISOString()}" } }`,
  );
  for (let at = 0; at < workflows; at++)
    await publish(
      service.call,
      `beats-${at}`,
      `copper-kettle: 1\nname: beats-${at}\ntriggers:\n${lines.join("\n")}\nsteps: [{ step: one, set: { a: 1 } }]\n`,
    );
  if (Date.now() > from) throw new Error("Publishing took longer than there was time.");
  await sleep(from - Date.now());
  const waits = [];
  const open = async () =>
    (await service.call("GET", `/api/triggers?workflow=beats-${workflows - 1}`)).triggers.filter(
      ({ last }) => last === null,
    ).length;
  const end = Date.now() + 90_000;
  for (let looked = Date.now(); ;) {
    if (Date.now() > looked + 5_000) {
      if ((await open()) === 0 || Date.now() > end) break;
      looked = Date.now();
    }
    const began = performance.now();
    await (await fetch(address, { method: "POST" })).text();
    waits.push(performance.now() - began);
    await sleep(20);
  }
  const late = [];
  for (let at = 0; at < workflows; at++)
    for (let before = ""; ;) {
      const { runs } = await service.call("GET", `/api/runs?workflow=beats-${at}&limit=200${before}`);
      for (const { trigger, createdAt } of runs)
        if (trigger.at === from.toISOString()) late.push(Date.parse(createdAt) - Date.parse(trigger.at));
      if (runs.length < 200) break;
      before = `&before=${runs.at(-1).id}`;
    }
  await service.stop();
  if (late.length !== workflows * each)
    throw new Error(`${late.length} runs came of ${workflows * each} beats.`);
  return { late: quantile(late, 0.99), last: Math.max(...late), webhook: quantile(waits, 0.95) };
}

/** How long a look at known items takes beside its call, and how long other commits take meanwhile. */
async function looking(folder, base) {
  const lists = new Map();
  const server = createServer((request, response) => {
    const count = Number(new URL(request.url, "http://a.example").searchParams.get("n"));
    if (!lists.has(count))
      lists.set(
        count,
        JSON.stringify(
          Array.from({ length: count }, (_, at) => ({ id: `i-${at}`, state: "booked", nights: at % 7 })),
        ),
      );
    response.writeHead(200, { "Content-Type": "application/json" }).end(lists.get(count));
  });
  await new Promise((resolve) => server.listen(0, "127.0.0.1", resolve));
  const far = `http://127.0.0.1:${server.address().port}`;
  const service = await startService(join(folder, "looks"), base);
  const poll = (n) =>
    `  p${n}: { poll: { request: "GET ${far}/?n=${n}", every: 1h, id-of: item.id, changed: "[item.state, item.nights]" } }`;
  await publish(
    service.call,
    "looks",
    `copper-kettle: 1\nname: looks\ntriggers:\n${poll(10_000)}\n${poll(100_000)}\nsteps: [{ step: one, set: { a: 1 } }]\n`,
  );
  const found = {};
  for (const n of [10_000, 100_000]) {
    const path = `/api/workflows/looks/triggers/p${n}`;
    while ((await service.call("GET", path)).looked?.read !== n) await sleep(200);
    const took = { call: [], look: [] };
    const commits = [];
    let looks = true;
    const others = (async () => {
      while (looks) {
        const began = performance.now();
        await service.call("PUT", "/api/constants/other", { value: began });
        commits.push(performance.now() - began);
        await sleep(10);
      }
    })();
    for (let round = 0; round < 5; round++) {
      let began = performance.now();
      JSON.parse(await (await fetch(`${far}/?n=${n}`)).text());
      took.call.push(performance.now() - began);
      began = performance.now();
      const seen = await service.call("POST", `${path}/look`, {});
      if (seen.count !== 0 || seen.read !== n) throw new Error(`${seen.count} of ${seen.read} count as new.`);
      took.look.push(performance.now() - began);
    }
    looks = false;
    await others;
    found[n] = {
      beside: quantile(took.look, 0.5) - quantile(took.call, 0.5),
      commits: quantile(commits, 0.99),
    };
  }
  await service.stop();
  server.close();
  return found;
}

/** The figures of triggers, as rows of a table: what, measured, target, whether it is reached. */
export async function triggering(folder, base, startBare, say) {
  say("Measuring: deliveries …");
  const { bare, ours, fromRun } = await delivering(folder, base, startBare);
  say("Measuring: 200 beats at once …");
  const some = await beating(folder, base, { workflows: 1, each: 200, every: "1m" });
  say("Measuring: 10,000 beats at once …");
  const many = await beating(folder, base, { workflows: 10, each: 1_000, every: "1h" });
  say("Measuring: looks at known items …");
  const looks = await looking(folder, base);
  const most = (what, value, target, unit = "ms") => [
    what,
    `${whole(value)} ${unit}`,
    `${whole(target)} ${unit}`,
    value <= target,
  ];
  return [
    [
      "deliveries of 1 kB, verified, once-per, event and run durable, against a bare Express route",
      `${(ours / bare).toFixed(2)} (${whole(ours)} against ${whole(bare)} a second)`,
      "0.4",
      ours / bare >= 0.4,
    ],
    most("`from-run` of a workflow without calls, median", fromRun, 15),
    most("200 beats at one instant: how late runs are created, 99th percentile", some.late, 200),
    most("10,000 beats at one instant: until the last run is created", many.last, 8_000),
    most("a webhook meanwhile, 95th percentile", many.webhook, 100),
    most("a look at 10,000 known items, beside its call", looks[10_000].beside, 150),
    most("a look at 100,000 known items, beside its call", looks[100_000].beside, 2_000),
    most("other commits during that, 99th percentile", looks[100_000].commits, 50),
  ];
}
