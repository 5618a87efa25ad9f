import { parseArgs } from "node:util";
import { differences } from "./chaos/compare.mjs";
import { anyFault, load, longestLatency } from "./chaos/load.mjs";
import { seeded } from "./chaos/random.mjs";
import { Sender, triggerDifferences, triggered } from "./chaos/triggered.mjs";
import { sleep, World } from "./chaos/world.mjs";
import { build, installPackages, say } from "./lib/prepare.mjs";

// npm run chaos: a mixed load against a stand-in with faults on, the service killed at random moments; in the end the
// stand-in's own log is compared with the journals. The seed makes the same choices again.
const { values: options } = parseArgs({
  options: {
    kills: { type: "string", default: "100" },
    seed: { type: "string", default: String(Date.now() % 1_000_000) },
    built: { type: "boolean", default: false },
  },
});
const kills = Number(options.kills);
const chance = seeded(Number(options.seed));
if (!options.built) {
  await installPackages();
  await build();
}
say(
  `Seed ${options.seed}, ${kills} kills. The same again: npm run chaos -- --seed ${options.seed} --kills ${kills}`,
);

const world = await World.start();
const sender = new Sender(world);
const started = [];
const starting = [];
/** Unsure calls, by run and path: when each was first seen. */
const seen = new Map();
/** Unsure calls that nobody decides. */
const left = new Set();
/** Runs whose stop was answered, and when. */
const stopped = new Map();
let decided = 0;
let killedEarly = 0;

/** Starts a run, again and again with the same key until somebody says that it was taken. */
async function start(name, inputs, key) {
  for (;;) {
    try {
      const path = `/api/workflows/${name}/runs`;
      const { id } = await world.call("POST", path, { inputs }, { "Idempotency-Key": key });
      started.push({ id, name, inputs, key });
      return;
    } catch {
      await sleep(30);
    }
  }
}

function startSome(count) {
  for (let at = 0; at < count; at++) {
    const name = chance.one(Object.keys(load));
    const inputs = name === "ensured" ? { email: `member-${chance.between(1, 12)}@alpha.example` } : {};
    starting.push(start(name, inputs, `start-${starting.length}`));
  }
}

/** Decides by what is true at the stand-in: only once nothing that was sent can still be under way there. */
async function decide() {
  const { runs } = await world.call("GET", "/api/runs?state=unsure&limit=200");
  for (const { id, workflow, unsure } of runs) {
    const inputs = started.find((one) => one.id === id)?.inputs ?? (workflow === "keyed" ? {} : undefined);
    for (const { path, attempt } of unsure) {
      const call = `${id} ${path}`;
      if (!seen.has(call)) {
        seen.set(call, Date.now());
        if (chance.next() < 0.1) left.add(call);
      }
      if (left.has(call) || !inputs || Date.now() - seen.get(call) < 3 * longestLatency) continue;
      const [guest] = await world.guests(load[workflow].calls(id, inputs)[path]);
      const happened = {
        decision: "happened",
        path,
        attempt,
        outcome: { status: 201, headers: {}, body: guest },
      };
      const body = guest ? happened : { decision: "again", path, attempt };
      // Where other branches still act, it is refused, and decided at the next look.
      const done = await world.call("POST", `/api/runs/${id}/decide`, body).then(
        () => true,
        () => false,
      );
      if (!done) continue;
      decided++;
      seen.delete(call);
    }
  }
}

async function publishAll() {
  const files = Object.entries(load).map(([name, { file }]) => [name, file]);
  for (const [name, text] of [...files, ...Object.entries(triggered)]) {
    await world.call("PUT", `/api/workflows/${name}`, { text });
    await world.call("POST", `/api/workflows/${name}/publish`);
  }
  await sender.begin();
}

/** Publishes one of the triggered workflows again: events on their way are judged by the version in force. */
const republish = () =>
  world.call("POST", `/api/workflows/${chance.one(Object.keys(triggered))}/publish`).catch(() => undefined);

/** Stops some runs, whatever they do at the moment; what is answered holds. */
async function stopSome(count) {
  for (let at = 0; at < count && started.length > 0; at++) {
    const { id } = chance.one(started.slice(-30));
    const done = await world.call("POST", `/api/runs/${id}/stop`, {}).then(
      () => true,
      () => false,
    );
    if (done && !stopped.has(id)) stopped.set(id, Date.now());
  }
}

async function killOnce() {
  await world.faults(Array.from({ length: chance.between(1, 4) }, () => anyFault(chance)));
  startSome(chance.between(2, 8));
  sender.some(chance.between(2, 8), chance);
  if (chance.next() < 0.3) void republish();
  await sleep(chance.between(30, 900));
  // Some stops are under way when the service is killed.
  const stopping = stopSome(chance.between(0, 2));
  if (chance.next() < 0.5) await stopping;
  await world.kill();
  await stopping;
  world.launch();
  // Some are killed before they are ready: while they migrate, load, or begin to go on.
  if (chance.next() < 0.2) {
    await sleep(chance.between(100, 1_500));
    await world.kill();
    killedEarly++;
    world.launch();
  }
  await world.ready();
  await decide();
}

/** Resolves when every run is at an end, or unsure with nobody to decide. */
async function finish() {
  await world.faults([]);
  await Promise.all(starting);
  await sender.done();
  const end = Date.now() + 180_000;
  for (;;) {
    await decide();
    const all = await world.runs();
    const watched = all.filter(({ workflow }) => workflow === "watched").length;
    const open = all.filter(
      ({ id, state, unsure }) =>
        ["queued", "running", "waiting"].includes(state) ||
        (state === "unsure" && unsure.some(({ path }) => !left.has(`${id} ${path}`))),
    );
    const isSeen = watched >= (await world.guests()).length;
    const fetched = !(await world.events("named")).some(({ state }) => state === "arrived");
    if ((open.length === 0 && isSeen && fetched) || Date.now() > end) return;
    await sleep(250);
  }
}

try {
  await publishAll();
  for (let done = 1; done <= kills; done++) {
    await killOnce();
    if (done % 10 === 0 || done === kills)
      say(`${done} kills, ${started.length} runs started, ${decided} decided …`);
  }
  await finish();
  for (const name of ["tick", "guests"])
    await world.call("PUT", `/api/workflows/${name === "tick" ? "ticks" : "watched"}/triggers/${name}`, {
      on: false,
    });
  await sleep(500);
  const all = await world.runs();
  for (const run of all) run.entries = await world.journal(run.id);
  const byTriggers = all.filter(({ workflow }) => workflow in triggered);
  const runs = all.filter(({ workflow }) => !(workflow in triggered));
  const requests = await world.arrived();
  const events = [];
  for (const name of Object.keys(triggered)) events.push(...(await world.events(name)));
  const { remembered } = await world.call("GET", "/api/workflows/together/remembered");
  const guests = await world.guests();
  const found = differences({
    runs,
    started,
    stopped,
    guests,
    requests,
    remembered: remembered.find(({ key }) => key === "rounds")?.values.count ?? 0,
  });
  for (const run of byTriggers) run.inputs = run.entries[0]?.inputs;
  const { delivered } = sender;
  found.push(...triggerDifferences({ runs: byTriggers, events, delivered, guests, requests }));
  const count = (state) => runs.filter((run) => run.state === state).length;
  const states = ["succeeded", "failed", "stopped", "unsure"].map((state) => `${count(state)} ${state}`);
  console.log(
    `Seed ${options.seed}: killed ${kills + killedEarly} times, ${killedEarly} of them before it was ready.`,
  );
  console.log(
    `${runs.length} runs, ${runs.length - started.length} of them called by others: ${states.join(", ")}. ${stopped.size} stops were answered. ${decided} unsure calls were decided by what was true.`,
  );
  console.log(
    `${requests.length} requests arrived, ${requests.filter(({ status }) => status === 0).length} of them without a response.`,
  );
  console.log(
    `${delivered.length} deliveries were answered, ${guests.length} guests could be seen: ${byTriggers.length} runs by ${events.length} events of triggers.`,
  );
  for (const line of found) {
    console.log(`DIFFERENCE ${line}`);
    const run = all.find(({ id }) => line.startsWith(`${id}`));
    for (const entry of run?.entries ?? []) console.log(`  ${JSON.stringify(entry).slice(0, 300)}`);
    for (const request of requests.filter(({ headers }) => run && headers["x-run"] === run.id))
      console.log(`  arrived: ${JSON.stringify(request).slice(0, 300)}`);
  }
  console.log(
    found.length === 0 ? "The journals and the stand-in's log agree." : `${found.length} differences.`,
  );
  process.exitCode = found.length === 0 ? 0 : 1;
} finally {
  await world.close();
}
