import { startStandIn, stays, staysKey } from "@copper-kettle/standins";
import { spawn } from "node:child_process";
import { once } from "node:events";
import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { root } from "../lib/prepare.mjs";

export const sleep = (millis) => new Promise((resolve) => setTimeout(resolve, millis));

/** A service that is killed and started again on one data folder, and the stand-in that it calls. */
export class World {
  #child;
  #url = "";

  static async start() {
    const world = new World();
    world.folder = mkdtempSync(join(tmpdir(), "ckettle-chaos-"));
    world.stays = await startStandIn(stays());
    await world.launch();
    await world.ready();
    await world.call("PUT", "/api/constants/stays", { value: world.stays.url });
    await world.call("PUT", "/api/credentials/stays-key", { kind: "bearer", token: staysKey });
    return world;
  }

  /** Starts the process, without waiting until it is ready. */
  launch() {
    this.#url = "";
    const env = {
      ...process.env,
      COPPER_KETTLE_DATA: this.folder,
      COPPER_KETTLE_PORT: "0",
      COPPER_KETTLE_LOG: "error",
      COPPER_KETTLE_ALLOW_ADDRESSES: "127.0.0.1",
    };
    const args = [join(root, "service/dist/main.js")];
    this.#child = spawn(process.execPath, args, { env, stdio: ["ignore", "ignore", "pipe"] });
    this.#child.stderr.on("data", (piece) => (this.complaints = `${this.complaints ?? ""}${piece}`));
  }

  async ready() {
    for (;;) {
      if (this.#child.exitCode !== null)
        throw new Error(`The service ended with ${this.#child.exitCode}: ${this.complaints ?? ""}`);
      try {
        const noted = JSON.parse(readFileSync(join(this.folder, "service.json"), "utf8"));
        if (noted.pid === this.#child.pid && (await fetch(`${noted.url}/readyz`)).ok) {
          this.token = readFileSync(join(this.folder, "token"), "utf8").trim();
          this.#url = noted.url;
          return;
        }
      } catch {
        // not there yet
      }
      await sleep(20);
    }
  }

  async kill() {
    const gone = once(this.#child, "exit");
    this.#child.kill("SIGKILL");
    this.#url = "";
    await gone;
  }

  async close() {
    await this.kill();
    await this.stays.close();
    rmSync(this.folder, { recursive: true, force: true });
  }

  /** Calls the service's API; throws where it does not answer. */
  async call(method, path, body, headers = {}) {
    if (this.#url === "") throw new Error("There is no service at the moment.");
    const isForm = body instanceof FormData;
    const typed = isForm ? {} : { "Content-Type": "application/json" };
    const send = () =>
      fetch(this.#url + path, {
        method,
        headers: { Authorization: `Bearer ${this.token}`, ...typed, ...headers },
        ...(body ? { body: isForm ? body : JSON.stringify(body) } : {}),
      });
    // A connection that was idle may be closed as it is used; what only reads is asked again.
    const response = await send().catch((error) => {
      if (this.#child.exitCode !== null) error.message += `: the service has ended. ${this.complaints ?? ""}`;
      if (method !== "GET" || this.#child.exitCode !== null) throw error;
      return send();
    });
    if (!response.ok) throw new Error(`${method} ${path}: ${response.status} ${await response.text()}`);
    return response.json();
  }

  /** All pages of a list, whose next page is asked for by what the last item says. */
  async all(path, key, next) {
    const found = [];
    for (let more = true, query = ""; more;) {
      const page = await this.call("GET", `${path}${path.includes("?") ? "&" : "?"}${query}`);
      found.push(...page[key]);
      more = page.more && page[key].length > 0;
      if (more) query = next(page[key].at(-1));
    }
    return found;
  }

  runs = () => this.all("/api/runs?limit=200", "runs", ({ id }) => `before=${id}`);
  journal = async (id) =>
    (await this.all(`/api/runs/${id}/journal?limit=1000`, "entries", ({ seq }) => `after=${seq}`)).map(
      ({ entry }) => entry,
    );

  /** The events of a workflow, each with the ids of the runs that it started. */
  async events(name) {
    const path = `/api/workflows/${name}/events?limit=200`;
    const events = await this.all(path, "events", ({ id }) => `before=${id}`);
    for (const event of events)
      event.runsOf =
        event.runs > 1 || name === "several"
          ? (await this.call("GET", `/api/runs?limit=200&event=${event.id}`)).runs.map(({ id }) => id)
          : event.state === "started"
            ? [event.run]
            : [];
    return events;
  }

  async faults(list) {
    await fetch(`${this.stays.url}/_control/faults`, {
      method: "PUT",
      headers: { "Content-Type": "application/json" },
      body: JSON.stringify({ faults: list }),
    });
  }

  /** The requests that arrived, as the stand-in logged them. */
  async arrived() {
    return (await (await fetch(`${this.stays.url}/_control/requests`)).json()).requests;
  }

  /** The guests that there really are with an e-mail; asked until the stand-in's faults let it through. */
  async guests(email = "") {
    for (;;) {
      try {
        const query = email ? `?email=${encodeURIComponent(email)}` : "";
        const headers = { Authorization: `Bearer ${staysKey}` };
        const response = await fetch(`${this.stays.url}/guests${query}`, { headers });
        if (response.ok) return (await response.json()).items;
      } catch {
        // a fault
      }
      await sleep(20);
    }
  }
}
