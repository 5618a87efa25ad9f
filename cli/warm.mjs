import { spawn } from "node:child_process";
import { once } from "node:events";
import { existsSync, writeFileSync } from "node:fs";
import { createServer } from "node:http";
import { createRequire } from "node:module";
import { fileURLToPath } from "node:url";

/**
 * The last step of the build: a few commands are run against a service that holds next to nothing, and what V8 has made
 * of the files of the bundle by then is put beside them. `bin/bundle.cjs` begins with it.
 */
const run = {
  id: "1m8p58d30943y1a1",
  workflow: "greet-guest",
  version: 1,
  state: "succeeded",
  trigger: { kind: "by-hand", id: "t", at: "2026-11-30T12:00:00.000Z" },
  startedBy: "owner",
  createdAt: "2026-11-30T12:00:00.000Z",
  startedAt: "2026-11-30T12:00:00.000Z",
  endedAt: "2026-11-30T12:00:01.000Z",
  wakeAt: null,
  waits: [],
  rehearsal: false,
  origin: null,
  calls: 1,
  problems: 0,
  error: null,
  message: null,
  unsure: [],
};
const answers = {
  "/api/runs": { runs: [run], more: false },
  "/api/workflows": { workflows: [] },
  "/api/credentials": { credentials: [] },
  "/api/apis": { apis: [] },
};
const commands = ["run list", "workflow list", "credential list", "api list"];

/** In a process of its own: runs one command, and keeps what V8 made of files that nothing is kept of yet. */
function warmUp(url, command) {
  const { load, scripts } = createRequire(import.meta.url)("./bin/bundle.cjs");
  process.on("exit", (code) => {
    if (code !== 0) return;
    for (const [file, script] of scripts)
      if (!existsSync(`${file}.cache`)) writeFileSync(`${file}.cache`, script.createCachedData());
  });
  process.argv = [process.execPath, "ckettle", ...command.split(" "), "--url", url, "--token", "none"];
  load("ckettle.cjs");
}

async function warmUpAll() {
  const service = createServer((request, response) => {
    const answer = answers[new URL(request.url, "http://127.0.0.1").pathname];
    response.writeHead(answer ? 200 : 404, { "Content-Type": "application/json" });
    response.end(JSON.stringify(answer ?? {}));
  }).listen(0, "127.0.0.1");
  await once(service, "listening");
  const url = `http://127.0.0.1:${service.address().port}`;
  for (const command of commands) {
    const child = spawn(process.execPath, [fileURLToPath(import.meta.url), url, command], {
      stdio: ["ignore", "ignore", "inherit"],
    });
    const [code] = await once(child, "exit");
    if (code !== 0)
      throw new Error(`"ckettle ${command}" ended with ${code} while the bundle was made ready.`);
  }
  service.close();
}

const [url, command] = process.argv.slice(2);
if (command === undefined) await warmUpAll();
else warmUp(url, command);
