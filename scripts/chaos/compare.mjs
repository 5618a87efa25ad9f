import { load } from "./load.mjs";

const ended = new Set(["succeeded", "failed", "stopped"]);

/**
 * Lays the journals beside what the stand-in saw: every difference that must not be, as a line of text.
 * @param runs all runs that the service knows, each with its journal
 * @param started what was started: the key, the workflow, its inputs and the id that came back
 * @param stopped the ids of runs whose stop was answered, with the time at which it was
 */
export function differences({ runs, started, stopped = new Map(), guests, requests, remembered }) {
  const found = [];
  const wrong = (text) => found.push(text);
  const byId = new Map(runs.map((run) => [run.id, run]));
  const byEmail = new Map();
  for (const { email } of guests) byEmail.set(email, (byEmail.get(email) ?? 0) + 1);
  const arrivals = new Map();
  for (const request of requests) {
    const mark = `${request.headers["x-run"]} ${request.headers["x-call"]}`;
    if (request.method === "POST" && request.headers["x-run"])
      arrivals.set(mark, [...(arrivals.get(mark) ?? []), request]);
  }

  if (new Set(started.map(({ id }) => id)).size !== started.length) wrong("Two keys started one run.");
  const called = runs.flatMap((run) => {
    const caller = run.entries[0]?.trigger?.caller;
    return caller ? [{ id: run.id, name: run.workflow, inputs: {}, caller }] : [];
  });
  if (runs.length - called.length !== started.length)
    wrong(`${started.length} starts made ${runs.length - called.length} runs.`);
  const callers = new Set();
  for (const { id, caller } of called) {
    const step = `${caller.run} ${caller.path}`;
    if (callers.has(step)) wrong(`${id}: ${step} called two runs.`);
    callers.add(step);
    const parent = byId.get(caller.run);
    if (!parent) wrong(`${id}: nobody called it.`);
    else if (ended.has(parent.state) && !ended.has(byId.get(id).state))
      wrong(`${id}: is ${byId.get(id).state}, and who called it is ${parent.state}.`);
  }
  for (const [id, answeredAt] of stopped) {
    const { state, entries } = byId.get(id);
    const at = entries.findIndex(({ type }) => type === "stopping");
    if (!ended.has(state)) wrong(`${id}: its stop was answered, and it is ${state}.`);
    if (at < 0) wrong(`${id}: its stop was answered, and is not in the journal.`);
    // What begins while the stop is being noted was there before it was answered.
    else if (entries.slice(at).some((entry) => entry.type === "begun" && entry.at > answeredAt))
      wrong(`${id}: it began something after its stop was answered.`);
  }
  const keys = new Map();
  for (const { id, name, inputs } of [...started, ...called]) {
    const run = byId.get(id);
    if (!run) {
      wrong(`${id}: accepted, and lost.`);
      continue;
    }
    if (!ended.has(run.state) && run.state !== "unsure") wrong(`${id}: is ${run.state} in the end.`);
    for (const [path, email] of Object.entries(load[name].calls(id, inputs))) {
      const where = `${id} (${name}) ${path}`;
      const of = (type) => run.entries.filter((entry) => entry.type === type && entry.path === path);
      const sends = of("sending").length;
      const came = arrivals.get(`${id} ${markOf(name, path)}`) ?? [];
      if (came.length > sends)
        wrong(`${where}: ${came.length} requests arrived, ${sends} are in the journal.`);
      const there = byEmail.get(email) ?? 0;
      if (there > 1) wrong(`${where}: done ${there} times.`);
      const end = of("ended").at(-1);
      if (name !== "ensured") {
        if (end && !end.error && there !== 1) wrong(`${where}: the journal says done, and it is not.`);
        // Of an attempt without a response nobody knows; the one after it may fail all the same.
        const unknown = sends > of("attempt").filter(({ response }) => response).length;
        if (end?.error && there !== 0 && !unknown)
          wrong(`${where}: the journal says failed, and it was done.`);
        if (sends === 0 && there !== 0) wrong(`${where}: done, and nothing of it is in the journal.`);
      } else if (run.state === "succeeded" && there !== 1)
        wrong(`${where}: ensured, and there are ${there}.`);
      if (name !== "keyed") continue;
      const sent = new Set(came.map(({ headers }) => headers["idempotency-key"]));
      if (sent.size > 1) wrong(`${where}: it came with ${sent.size} keys.`);
      for (const key of sent) {
        if (keys.has(key)) wrong(`${where}: it has the key of ${keys.get(key)}.`);
        keys.set(key, where);
      }
    }
  }
  const counted = runs
    .flatMap(({ entries }) => entries)
    .filter((entry) => entry.type === "ended" && entry.kind === "remember" && !entry.error).length;
  if (counted !== remembered)
    wrong(`${counted} runs have counted themselves, and the remembered count is ${remembered}.`);
  return found;
}

/** What a request says of the call that it is of. */
function markOf(name, path) {
  const item = /^huts\[(\d+)\]/.exec(path);
  if (item) return `made-${item[1]}`;
  const branch = /^both\.(\w+)\//.exec(path);
  if (branch) return branch[1];
  return path.split("/")[0];
}
