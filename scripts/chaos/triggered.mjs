import { sleep } from "./world.mjs";

/** Workflows that only triggers start: each has one, and its runs end by themselves. */
const reply = 'steps: [{ step: seen, set: { a: 1 } }, { step: reply, respond: { body: "${inputs}" } }]\n';
const inputs = "inputs: { type: object, properties: { id: {}, guest: {} } }\n";
export const triggered = {
  told: `copper-kettle: 1
name: told
${inputs}triggers:
  told:
    webhook: { path: told, verify: none }
    once-per: trigger.body.id
    one-at-a-time: "\${trigger.body.guest}"
    inputs: { id: "\${trigger.body.id}", guest: "\${trigger.body.guest}" }
steps:
  - { step: nap, wait: { for: 20ms } }
  - { step: seen, set: { a: 1 } }
`,
  named: `copper-kettle: 1
name: named
${inputs}triggers:
  named:
    webhook: { path: named, verify: none }
    once-per: trigger.body.id
    fetch: { request: "GET \${constants.stays}/guests", using: stays-key, retry: { waits: [50ms, 200ms, 1s, 2s, 4s, 4s] } }
    inputs: { id: "\${trigger.body.id}" }
${reply}`,
  several: `copper-kettle: 1
name: several
${inputs}triggers:
  several:
    webhook: { path: several, verify: none, items: trigger.body.items, id-of: item.id }
    inputs: { id: "\${trigger.item.id}" }
steps:
  - { step: nap, wait: { for: 20ms } }
  - { step: seen, set: { a: 1 } }
`,
  carried: `copper-kettle: 1
name: carried
inputs: { type: object, properties: { id: {}, scan: {} } }
triggers:
  carried:
    webhook: { path: carried, verify: none }
    once-per: trigger.body.id
    inputs: { id: "\${trigger.body.id}", scan: "\${trigger.body.scan}" }
steps:
  - step: sent
    request: "PUT \${constants.stays}/carried/\${inputs.id}"
    using: stays-key
    body: { file: "\${inputs.scan}" }
    success: status == 404
    retry: { waits: [50ms, 200ms, 1s, 2s, 4s, 4s] }
`,
  ticks: `copper-kettle: 1
name: ticks
triggers:
  tick: { schedule: { every: 1s, missed: once } }
steps: [{ step: seen, set: { a: 1 } }]
`,
  watched: `copper-kettle: 1
name: watched
${inputs}triggers:
  guests:
    poll: { request: "GET \${constants.stays}/guests", using: stays-key, every: 1s, items: body.items, id-of: item.id, first: all }
    inputs: { id: "\${trigger.item.id}" }
${reply}`,
};

const plain = (id, chance) => ({ body: { id, guest: `guest-${chance.between(1, 3)}` } });
/** What a delivery to each of them holds, and the ids that runs must come of. */
const bodies = {
  told: plain,
  named: plain,
  several: (id, chance) => {
    // Some items come again in another delivery.
    const ids = [`${id}-0`, `${id}-1`, `again-${chance.between(1, 40)}`];
    return { body: { items: ids.map((one) => ({ id: one })) }, ids };
  },
  carried: (id) => {
    const form = new FormData();
    form.append("id", id);
    form.append("scan", new Blob([scanOf(id)], { type: "application/json" }), `${id}.json`);
    return { body: form };
  },
};
const scanOf = (id) => JSON.stringify({ id, scan: "0123456789".repeat(500) });

/** Sends deliveries, each again and again until it is answered 2xx: its sender's log. */
export class Sender {
  delivered = [];
  #going = [];
  #addresses = {};

  constructor(world) {
    this.world = world;
  }

  async begin() {
    for (const name of Object.keys(bodies)) {
      const { address } = await this.world.call(
        "POST",
        `/api/workflows/${name}/triggers/${name}/address`,
        {},
      );
      this.#addresses[name] = new URL(address).pathname;
    }
  }

  some(count, chance) {
    for (let at = 0; at < count; at++) {
      const id = `d-${this.#going.length}`;
      const workflow = chance.one(Object.keys(bodies));
      this.#going.push(this.#deliver(workflow, id, bodies[workflow](id, chance)));
    }
  }

  async #deliver(workflow, id, { body, ids = [id] }) {
    for (;;) {
      try {
        await this.world.call("POST", this.#addresses[workflow], body);
        this.delivered.push(...ids.map((one) => ({ workflow, id: one })));
        return;
      } catch {
        await sleep(40);
      }
    }
  }

  done = () => Promise.all(this.#going);
}

/**
 * What triggers did that must not be, a line of text each: every delivery that was answered, every guest that a poll can
 * see, and every beat has started exactly what it should.
 * @param runs those of the triggered workflows, each with its inputs
 * @param events those of the same workflows
 */
export function triggerDifferences({ runs, events, delivered, guests, requests }) {
  const found = [];
  const wrong = (text) => found.push(text);
  const of = (workflow) => runs.filter((run) => run.workflow === workflow);
  const startedBy = new Map();
  for (const { runsOf } of events)
    for (const run of runsOf) startedBy.set(run, (startedBy.get(run) ?? 0) + 1);
  for (const { id, state, runs: count, runsOf } of events)
    if (count !== runsOf.length || (state === "started") !== count > 0)
      wrong(`The event ${id} is ${state}, says ${count} runs, and ${runsOf.length} came of it.`);
  for (const { id, workflow } of runs)
    if (startedBy.get(id) !== 1) wrong(`${id} (${workflow}): ${startedBy.get(id) ?? 0} events started it.`);
  for (const run of startedBy.keys())
    if (!runs.some(({ id }) => id === run)) wrong(`${run}: an event started it, and it is not there.`);
  for (const { id, state } of events)
    if (state === "arrived") wrong(`The event ${id} is still being fetched.`);
  for (const { id, workflow, state } of runs)
    if (!["succeeded", "stopped", "skipped"].includes(state))
      wrong(`${id} (${workflow}): is ${state} in the end.`);
  for (const { workflow, id } of delivered) {
    const count = of(workflow).filter(({ inputs }) => inputs?.id === id).length;
    const refused = events.some(
      (event) => event.workflow === workflow && event.state === "refused" && event.brought?.body?.id === id,
    );
    if (count > 1 || (count === 0 && !(workflow === "named" && refused)))
      wrong(`${id}: it was answered, and ${count} runs of ${workflow} came of it.`);
  }
  for (const { workflow, id } of delivered.filter((one) => one.workflow === "carried")) {
    const came = requests.filter(({ path }) => path === `/carried/${id}`);
    if (came.length === 0) wrong(`${id}: the file of ${workflow} was sent nowhere.`);
    for (const { body } of came)
      if (JSON.stringify(body) !== scanOf(id))
        wrong(`${id}: its file came as ${JSON.stringify(body).slice(0, 80)}.`);
  }
  for (const { id } of guests) {
    const count = of("watched").filter(({ inputs }) => inputs?.id === id).length;
    if (count !== 1) wrong(`The guest ${id} started ${count} runs.`);
  }
  const beats = of("ticks").map(({ trigger }) => trigger.at);
  if (new Set(beats).size !== beats.length) wrong("A beat started two runs.");
  const lines = new Map();
  for (const run of of("told").sort((a, b) => (a.id < b.id ? -1 : 1)))
    lines.set(run.inputs?.guest, [...(lines.get(run.inputs?.guest) ?? []), run]);
  for (const line of lines.values())
    for (const [at, run] of line.entries()) {
      const next = line[at + 1];
      if (next && next.startedAt !== null && next.startedAt < run.endedAt)
        wrong(`${next.id}: it began before ${run.id} had ended.`);
    }
  return found;
}
