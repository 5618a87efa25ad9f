import { call, openBare } from "./sqlite.mjs";
import { Agent, request } from "undici";

// The loop that an engineer would write instead: the same calls, and one group-committed row a step. None of our code.
const [base, file, ...numbers] = process.argv.slice(2);
const [runs, parallel, steps, warmUp] = numbers.map(Number);
const database = await openBare(file, "CREATE TABLE journal (run TEXT, seq INTEGER, entry TEXT)");

let waiting = [];
let working = false;
const statements = new Map();
function keep(run, seq, entry) {
  return new Promise((resolve, reject) => {
    waiting.push({ run, seq, entry, resolve, reject });
    if (!working) void work();
  });
}
async function work() {
  working = true;
  while (waiting.length > 0) {
    const batch = waiting;
    waiting = [];
    let statement = statements.get(batch.length);
    if (!statement) {
      statement = database.prepare(`INSERT INTO journal VALUES ${batch.map(() => "(?,?,?)").join(",")}`);
      statements.set(batch.length, statement);
    }
    await call(
      statement,
      "run",
      batch.flatMap(({ run, seq, entry }) => [run, seq, entry]),
    );
    for (const row of batch) row.resolve();
  }
  working = false;
}

const dispatcher = new Agent({ connections: 128, pipelining: 1 });
let next = 0;
async function worker(last) {
  while (next < last) {
    const run = `r${next++}`;
    for (let seq = 0; seq < steps; seq++) {
      const response = await request(`${base}/guests?email=odd%40huts.example`, {
        dispatcher,
        headers: { Accept: "application/json" },
      });
      const body = await response.body.json();
      await keep(run, seq, JSON.stringify({ status: response.statusCode, headers: response.headers, body }));
    }
  }
}
const upTo = (last) => Promise.all(Array.from({ length: parallel }, () => worker(last)));
// The first runs do not count: the compiler and the caches come to their speed in them.
await upTo(warmUp);
const began = performance.now();
await upTo(warmUp + runs);
process.stdout.write(`${JSON.stringify({ millis: performance.now() - began, steps: runs * steps })}\n`);
await dispatcher.close();
