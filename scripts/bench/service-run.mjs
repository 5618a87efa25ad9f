import { spawn } from "node:child_process";
import { readFileSync } from "node:fs";
import { join } from "node:path";
import { Agent, request } from "undici";
import { root } from "../lib/prepare.mjs";

/** Starts a service on a data folder of its own; `call` speaks to its API. */
export async function startService(folder, base, more = {}) {
  const env = {
    ...process.env,
    ...more,
    COPPER_KETTLE_DATA: folder,
    COPPER_KETTLE_PORT: "0",
    COPPER_KETTLE_LOG: "error",
    COPPER_KETTLE_ALLOW_ADDRESSES: "127.0.0.1",
  };
  const child = spawn(process.execPath, [join(root, "service/dist/main.js")], {
    env,
    stdio: ["ignore", "inherit", "inherit"],
  });
  // A measurement that breaks off leaves no service behind.
  process.once("exit", () => child.kill("SIGKILL"));
  const note = join(folder, "service.json");
  let url = "";
  for (let tries = 0; tries < 400 && !url; tries++) {
    try {
      const noted = JSON.parse(readFileSync(note, "utf8"));
      if (noted.pid === child.pid && (await fetch(`${noted.url}/readyz`)).ok) url = noted.url;
    } catch {
      // not there yet
    }
    await new Promise((resolve) => setTimeout(resolve, 25));
  }
  const token = readFileSync(join(folder, "token"), "utf8").trim();
  // The fastest client at hand, so that the service is measured and not what calls it.
  const dispatcher = new Agent({ connections: 64 });
  const headers = { Authorization: `Bearer ${token}`, "Content-Type": "application/json" };
  const send = (method, path, body) =>
    request(url + path, { dispatcher, method, headers, body: body && JSON.stringify(body) });
  const call = async (method, path, body) => {
    // Whoever computed for long finds a connection that the service has closed meanwhile.
    const response = await send(method, path, body).catch((error) => {
      if (error.code !== "UND_ERR_SOCKET" || method === "POST") throw error;
      return send(method, path, body);
    });
    if (response.statusCode >= 300)
      throw new Error(`${method} ${path}: ${response.statusCode} ${await response.body.text()}`);
    return response.body.json();
  };
  await call("PUT", "/api/constants/base", { value: base });
  return {
    url,
    token,
    call,
    child,
    stop: () => new Promise((resolve) => child.once("exit", resolve) && child.kill("SIGTERM")),
  };
}

/** A workflow of some GET steps, one after the other. */
export function readingWorkflow(name, steps, parallel) {
  const lines = Array.from(
    { length: steps },
    (_, index) =>
      `  - { step: s${index}, request: "GET \${constants.base}/guests", query: { email: odd@huts.example } }`,
  );
  return `copper-kettle: 1\nname: ${name}\nlimits: { parallel: ${parallel} }\nsteps:\n${lines.join("\n")}\n`;
}

/** Waits for the last run of a workflow to end; seldom, so that looking does not weigh. */
export async function ended(call, name, every = 250) {
  for (;;) {
    const { runs } = await call("GET", `/api/runs?workflow=${name}&state=queued,running,waiting&limit=1`);
    if (runs.length === 0) return;
    await new Promise((resolve) => setTimeout(resolve, every));
  }
}

/** Starts runs of a workflow, so many at a time. */
export async function startMany(call, name, runs, starters) {
  let left = runs;
  const starter = async () => {
    while (left-- > 0) await call("POST", `/api/workflows/${name}/runs`, { inputs: {} });
  };
  await Promise.all(Array.from({ length: starters }, starter));
}

export async function publish(call, name, text) {
  await call("PUT", `/api/workflows/${name}`, { text });
  await call("POST", `/api/workflows/${name}/publish`);
}
