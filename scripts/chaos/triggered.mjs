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

/** Sends deliveries, each again and again until it is answered 2xx: its sender's log. */
export class Sender {
  delivered = [];
  #going = [];
  #addresses = {};

  constructor(world) {
    this.world = world;
  }

  async begin() {
    for (const name of ["told", "named"]) {
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
      this.#going.push(this.#deliver(chance.one(["told", "named"]), id, `guest-${chance.between(1, 3)}`));
    }
  }

  async #deliver(workflow, id, guest) {
    for (;;) {
      try {
        await this.world.call("POST", this.#addresses[workflow], { id, guest });
        this.delivered.push({ workflow, id });
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
export function triggerDifferences({ runs, events, delivered, guests }) {
  const found = [];
  const wrong = (text) => found.push(text);
  const of = (workflow) => runs.filter((run) => run.workflow === workflow);
  const startedBy = new Map();
  for (const { state, run } of events)
    if (state === "started") startedBy.set(run, (startedBy.get(run) ?? 0) + 1);
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
