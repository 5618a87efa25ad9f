import { routes } from "@copper-kettle/contract";
import { staysKey } from "@copper-kettle/standins";
import { execFileSync } from "node:child_process";
import { existsSync } from "node:fs";
import { readFile } from "node:fs/promises";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { root, World } from "./kit.js";

const promtool = "/usr/bin/promtool";

describe("metrics", () => {
  let world: World;
  beforeAll(async () => {
    world = await World.start();
    await world.publish("copper-kettle: 1\nname: fine\nsteps:\n  - { step: a, note: x }\n");
    await world.settled((await world.run("fine")).id);
  });
  afterAll(() => world.close());

  it("metrics are OpenMetrics, for who has a token", async () => {
    expect((await fetch(`${world.url}/metrics`)).status).toBe(401);
    const answer = await fetch(`${world.url}/metrics`, {
      headers: { Authorization: `Bearer ${world.token}` },
    });
    expect(answer.headers.get("content-type")).toContain("application/openmetrics-text");
    const text = await answer.text();
    expect(text).toMatch(/^copper_kettle_runs\{state="succeeded"\} \d+$/m);
    expect(text.trimEnd().endsWith("# EOF")).toBe(true);
  });

  it("counters only rise: runs by workflow and state, calls by host and status, commits", async () => {
    const scrape = async (): Promise<string> => {
      const answer = await fetch(`${world.url}/metrics`, {
        headers: { Authorization: `Bearer ${world.token}` },
      });
      return answer.text();
    };
    const value = (text: string, line: string): number =>
      Number(
        text
          .split("\n")
          .find((one) => one.startsWith(`${line} `))
          ?.split(" ")[1] ?? 0,
      );
    const document = { openapi: "3.1.0", info: { title: "Stays", version: "1" }, paths: {} };
    await world.client.call(routes.putApi, {
      params: { name: "stays" },
      body: { text: JSON.stringify({ ...document, servers: [{ url: world.stays.url }] }) },
    });
    await world.publish(`copper-kettle: 1
name: counted
triggers:
  arrived: { webhook: { path: counted, verify: { bearer: stays-key } }, only-if: trigger.body.n < 3 }
steps:
  - { step: a, request: "GET \${constants.stays}/huts", using: stays-key }
  - { step: b, note: "\${steps.a.body.items[99]}" }
`);
    const before = await scrape();
    await world.settled((await world.run("counted")).id);
    for (const n of [1, 5, 6]) {
      const headers = { Authorization: `Bearer ${staysKey}`, "Content-Type": "application/json" };
      const body = JSON.stringify({ n });
      const given = await fetch(`${world.url}/webhooks/counted`, { method: "POST", headers, body });
      const { run } = (await given.json()) as { run?: string };
      if (run) await world.settled(run);
    }
    const text = await scrape();
    const { host } = new URL(world.stays.url);
    const rose = (line: string): number => value(text, line) - value(before, line);
    expect(rose('copper_kettle_runs_ended_total{workflow="counted",state="failed"}')).toBe(2);
    expect(rose('copper_kettle_runs_started_total{workflow="counted",trigger="by-hand"}')).toBe(1);
    expect(rose('copper_kettle_runs_started_total{workflow="counted",trigger="arrived"}')).toBe(1);
    const arrived = 'copper_kettle_trigger_events_total{workflow="counted",trigger="arrived"';
    expect(rose(`${arrived},state="started"}`)).toBe(1);
    expect(rose(`${arrived},state="left-out"}`)).toBe(2);
    expect(rose(`copper_kettle_calls_total{api="stays",host="${host}",status="200"}`)).toBe(2);
    expect(rose('copper_kettle_run_duration_seconds_count{workflow="counted"}')).toBe(2);
    expect(rose("copper_kettle_commits_total")).toBeGreaterThan(0);
    expect(value(text, "copper_kettle_database_log_bytes")).toBeGreaterThan(0);
    expect(text).not.toMatch(/last_success_timestamp_seconds\{workflow="counted"\}/);
    await world.publish(`copper-kettle: 1\nname: counted\nsteps:\n  - { step: a, note: x }\n`);
    await world.settled((await world.run("counted")).id);
    const last = value(
      await scrape(),
      'copper_kettle_workflow_last_success_timestamp_seconds{workflow="counted"}',
    );
    expect(Math.abs(last * 1_000 - Date.now())).toBeLessThan(60_000);
  });

  it("the alert rules of the docs name metrics that there are, and are rules to Prometheus's own tool", async () => {
    const rules = await readFile(join(root, "docs/alerts.yaml"), "utf8");
    const answer = await fetch(`${world.url}/metrics`, {
      headers: { Authorization: `Bearer ${world.token}` },
    });
    const text = await answer.text();
    const names = new Set(rules.match(/copper_kettle_\w+/g));
    expect(names.size).toBeGreaterThan(4);
    for (const name of names) expect(text).toContain(`# HELP ${name.replace(/_total$/, "")} `);
    // Where the tool is not installed, that is all.
    if (existsSync(promtool))
      expect(execFileSync(promtool, ["check", "rules", join(root, "docs/alerts.yaml")]).toString()).toContain(
        "SUCCESS",
      );
  });
});
