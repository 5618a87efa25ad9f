import express from "express";
import { call, openBare } from "./sqlite.mjs";

// The route that an engineer would write instead: takes a start, keeps it in one group-committed row, answers 202.
const [file] = process.argv.slice(2);
const database = await openBare(file, "CREATE TABLE runs (id TEXT PRIMARY KEY, body TEXT)");
let waiting = [];
let working = false;
async function work() {
  working = true;
  await new Promise((resolve) => setImmediate(resolve));
  while (waiting.length > 0) {
    const batch = waiting;
    waiting = [];
    const marks = batch.map(() => "(?,?)").join(",");
    await call(
      database,
      "run",
      `INSERT INTO runs VALUES ${marks}`,
      batch.flatMap(({ id, body }) => [id, body]),
    );
    for (const { resolve } of batch) resolve();
  }
  working = false;
}
const app = express();
app.use(express.json());
let count = 0;
app.post("/starts", async (request, response) => {
  const id = `r${count++}`;
  await new Promise((resolve) => {
    waiting.push({ id, body: JSON.stringify(request.body), resolve });
    if (!working) void work();
  });
  response.status(202).json({ id, state: "queued" });
});
const server = app.listen(0, "127.0.0.1", () =>
  process.stdout.write(`http://127.0.0.1:${server.address().port}\n`),
);
process.stdin.on("end", () => process.exit(0)).resume();
