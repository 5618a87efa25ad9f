import { execFile } from "node:child_process";
import { cp, mkdtemp, readdir, readFile, rm, writeFile } from "node:fs/promises";
import { createRequire } from "node:module";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { promisify } from "node:util";
import { afterAll, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { arrived, ckettle, faults, reset, root, until, World } from "./kit.js";

describe("ckettle", () => {
  let world: World;
  let folder: string;
  beforeAll(async () => {
    world = await World.start();
    folder = await mkdtemp(join(tmpdir(), "ckettle-"));
  });
  beforeEach(() => reset(world.stays, world.boards));
  afterAll(async () => {
    await world.close();
    await rm(folder, { recursive: true, force: true });
  });
  const example = (name: string) => join(root, `examples/${name}.copper-kettle.yaml`);
  const file = async (name: string, text: string): Promise<string> => {
    const path = join(folder, name);
    await writeFile(path, text);
    return path;
  };

  it("checks a file without a service: silent and 0 when it is good, line and column and 2 when it is not", async () => {
    expect(await ckettle(["check", example("greet-guest")], {})).toEqual({ code: 0, out: "", err: "" });
    const bad = await file(
      "bad.yaml",
      "copper-kettle: 1\nname: bad\nsteps:\n  - step: a\n    reqest: GET https://a.example\n",
    );
    const said = await ckettle(["check", bad], {});
    expect(said).toEqual({
      code: 2,
      out: `${bad}:5:5: error: There is no step kind "reqest"; did you mean "request"?\n`,
      err: "",
    });
    const json = JSON.parse((await ckettle(["--json", "check", bad], {})).out) as {
      errors: number;
      problems: object[];
    };
    expect(json).toMatchObject({ errors: 1, problems: [{ line: 5, column: 5, code: "unknown-key" }] });
    expect((await ckettle(["check", "-"], {}, "copper-kettle: 1\nname: a\nsteps: []\n")).code).toBe(0);
    expect(await ckettle(["check", join(folder, "nowhere.yaml")], {})).toMatchObject({
      code: 2,
      err: expect.stringContaining("ENOENT"),
    });
  });

  it("prints the JSON Schema of the workflow file", async () => {
    const schema = JSON.parse((await ckettle(["schema"], {})).out) as { $schema: string; required: string[] };
    expect(schema.$schema).toContain("2020-12");
    expect(schema.required).toContain("steps");
  });

  it("pushes, shows, publishes, pulls back to the letter, lists and removes a workflow", async () => {
    const text = await readFile(example("greet-guest"), "utf8");
    expect(await world.ckettle(["workflow", "push", example("greet-guest")])).toEqual({
      code: 0,
      out: "greet-guest: not published\n",
      err: "",
    });
    expect((await world.ckettle(["start", "greet-guest", "-i", "email=o@h.example"])).code).toBe(2);
    expect((await world.ckettle(["workflow", "publish", "greet-guest"])).out).toBe(
      "greet-guest: version 1\n",
    );
    expect((await world.ckettle(["workflow", "pull", "greet-guest"])).out).toBe(text);
    const pulled = join(folder, "pulled.yaml");
    await world.ckettle(["workflow", "pull", "greet-guest", "-o", pulled, "--published", "1"]);
    expect(await readFile(pulled, "utf8")).toBe(text);
    const shown = (await world.ckettle(["workflow", "show", "greet-guest"])).out;
    expect(shown).toMatch(/^ *27 +known +if/m);
    expect(shown).toMatch(/^ *32 +made +request +Put the guest on record/m);
    expect((await world.ckettle(["workflow", "list"])).out).toMatch(/^greet-guest +1 +desk: by-hand/m);
    const extra = await file("extra.yaml", "copper-kettle: 1\nname: extra\nsteps: []\n");
    expect((await world.ckettle(["workflow", "push", "--publish", extra])).out).toBe("extra: version 1\n");
    expect((await world.ckettle(["workflow", "remove", "extra"])).code).toBe(0);
    expect(await world.ckettle(["workflow", "show", "extra"])).toMatchObject({
      code: 2,
      err: expect.stringContaining("extra"),
    });
  });

  it("keeps a file with problems as a draft and says them; refuses to publish it", async () => {
    const bad = await file(
      "draft.yaml",
      "copper-kettle: 1\nname: draft\nsteps:\n  - { step: a, note: '${steps.b.body}' }\n",
    );
    const pushed = await world.ckettle(["workflow", "push", bad]);
    expect(pushed).toMatchObject({ code: 0, err: expect.stringContaining('There is no step "b"') });
    expect(await world.ckettle(["workflow", "publish", "draft"])).toMatchObject({
      code: 2,
      err: expect.stringContaining("draft:4:"),
    });
  });

  it("starts a run and prints its id; with --wait its response, and 1 when it fails", async () => {
    const started = await world.ckettle(["start", "greet-guest", "--input", "email=odd@huts.example"]);
    expect(started).toMatchObject({ code: 0, out: expect.stringMatching(/^[0-9a-z]{16}\n$/) });
    const waited = await world.ckettle([
      "start",
      "greet-guest",
      "-i",
      "email=odd@huts.example",
      "-i",
      "hut=eyrie",
      "--wait",
    ]);
    expect(waited).toMatchObject({ code: 0, err: "" });
    expect(JSON.parse(waited.out)).toMatchObject({ id: "g-1" });
    const inputs = await file("inputs.json", '{"email": "sanna@huts.example"}');
    expect(
      JSON.parse((await world.ckettle(["start", "greet-guest", "--inputs", inputs, "--wait"])).out),
    ).toMatchObject({ id: "g-2" });
    await faults(world.stays, [{ status: 403, body: { message: "closed" } }]);
    const failed = await world.ckettle(["start", "greet-guest", "-i", "email=odd@huts.example", "--wait"]);
    expect(failed).toMatchObject({
      code: 1,
      out: "",
      err: expect.stringContaining("403 (Forbidden) from"),
    });
  });

  it("starts once for the same key", async () => {
    const start = () =>
      world.ckettle(["start", "greet-guest", "-i", "email=ines@alpha.example", "--key", "k1"]);
    const [first, second] = await Promise.all([start(), start()]);
    expect(first.out).toBe(second.out);
    await world.settled(first.out.trim());
    expect(await arrived(world.stays, "POST")).toHaveLength(1);
    expect(
      await world.ckettle(["start", "greet-guest", "-i", "email=odd@huts.example", "--key", "k1"]),
    ).toMatchObject({ code: 2, err: expect.stringContaining("with other inputs") as string });
  });

  it("lists, shows and follows runs", async () => {
    const { out } = await world.ckettle(["start", "greet-guest", "-i", "email=odd@huts.example"]);
    const id = out.trim();
    const followed = await world.ckettle(["run", "follow", id]);
    expect(followed.code).toBe(0);
    expect(followed.out).toContain("✓ succeeded");
    expect((await world.ckettle(["run", "list", "--state", "succeeded", "--limit", "1"])).out).toContain(id);
    const shown = (await world.ckettle(["run", "show", id])).out;
    expect(shown).toContain(`GET ${world.stays.url}/guests?email=odd%40huts.example`);
    expect(shown).toContain('Response 200: {"id":"g-1"');
    const json = JSON.parse((await world.ckettle(["--json", "run", "show", id])).out) as {
      entries: object[];
    };
    expect(json.entries.length).toBeGreaterThan(5);
    const lines = (await world.ckettle(["--json", "run", "follow", id])).out.trim().split("\n");
    expect((JSON.parse(lines.at(-1) as string) as { type: string }).type).toBe("finished");
  });

  it("follows a run through an unsure call, and decides it", async () => {
    await faults(world.stays, [{ method: "POST", times: 1, drop: "after" }]);
    const unsure = await world.ckettle(["start", "greet-guest", "-i", "email=ines@alpha.example", "--wait"]);
    expect(unsure.code).toBe(1);
    expect(unsure.err).toContain("unsure");
    const id = /decide (\w+)/.exec(unsure.err)?.[1] as string;
    const shown = (await world.ckettle(["run", "show", id])).out;
    expect(shown).toContain("Check in the API");
    expect(shown).toMatch(
      / {4}POST http:.*\/guests\n( {4}.*\n)* {4}Authorization: Bearer •••\n {4}\{"email":/,
    );
    expect(await world.ckettle(["run", "decide", id, "perhaps"])).toMatchObject({
      code: 2,
      err: expect.stringContaining("happened"),
    });
    expect(await world.ckettle(["run", "decide", id, "happened", "--outcome", "{x"])).toMatchObject({
      code: 2,
      err: expect.stringContaining("not JSON"),
    });
    expect(
      (
        await world.ckettle([
          "run",
          "decide",
          id,
          "happened",
          "--outcome",
          '{"status":201,"body":{"id":"g-3"}}',
        ])
      ).code,
    ).toBe(0);
    expect((await world.settled(id, ["succeeded"])).response?.body).toMatchObject({ id: "g-3" });
    expect(await arrived(world.stays, "POST")).toHaveLength(1);
    expect(await world.ckettle(["run", "decide", id, "again"])).toMatchObject({
      code: 2,
      err: expect.stringContaining("Nothing to decide"),
    });
  });

  it("stops a run: after its step, or now", async () => {
    await faults(world.stays, [{ method: "GET", latency: 8_000 }]);
    for (const now of [[], ["--now"]]) {
      const { out } = await world.ckettle(["start", "greet-guest", "-i", "email=odd@huts.example"]);
      const id = out.trim();
      await until(async () => (await arrived(world.stays)).length > 0, "the call is under way");
      expect((await world.ckettle(["run", "stop", id, ...now])).code).toBe(0);
      expect((await world.settled(id)).state).toBe("stopped");
      await reset(world.boards, world.stays);
      await faults(world.stays, [{ method: "GET", latency: 8_000 }]);
      expect(await arrived(world.boards)).toHaveLength(0);
    }
  });

  it("asks whether `start` was meant", async () => {
    const said = await world.ckettle(["run", "greet-guest"]);
    expect(said).toMatchObject({ code: 2, err: expect.stringContaining("ckettle start greet-guest") });
  });

  it("adds a credential from standard input, mends what was pasted, shows it masked, removes it", async () => {
    const added = await world.ckettle(
      ["credential", "add", "pasted", "--host", "stays.example"],
      'Bearer "sk-abc-123-def"\r\n',
    );
    expect(added.code).toBe(0);
    expect(added.out).toBe("pasted: will send header Authorization: Bearer •••\n");
    expect(added.err).toContain('the prefix "Bearer"');
    const parts = [
      "credential",
      "add",
      "pair",
      "--kind",
      "api-key",
      "--part",
      "header:X-Store-Office",
      "--part",
      "query:key",
    ];
    expect((await world.ckettle(parts, "app-1\nsecret-2\n")).out).toContain(
      "header X-Store-Office: •••, query key: •••",
    );
    expect(await world.ckettle(parts, "only-one\n")).toMatchObject({
      code: 2,
      err: expect.stringContaining("line 2"),
    });
    expect(await world.ckettle(["credential", "add", "x", "--kind", "api-key"], "s\n")).toMatchObject({
      code: 2,
      err: expect.stringContaining("--part"),
    });
    const list = await world.ckettle(["credential", "list"]);
    expect(list.out).toMatch(/^pasted +bearer +○ not checked yet +stays\.example/m);
    expect(list.out).not.toContain("sk-abc");
    expect((await world.ckettle(["credential", "remove", "pasted"])).code).toBe(0);
    expect((await world.ckettle(["credential", "remove", "pasted"])).code).toBe(2);
  });

  it("sets, lists and removes constants", async () => {
    await world.ckettle(["constant", "set", "team", "hut"]);
    await world.ckettle(["constant", "set", "most", "30"]);
    expect(JSON.parse((await world.ckettle(["--json", "constant", "list"])).out)).toMatchObject({
      team: "hut",
      most: 30,
    });
    expect((await world.ckettle(["constant", "remove", "team"])).code).toBe(0);
    expect(await world.ckettle(["constant", "set", "bad-name", "1"])).toMatchObject({
      code: 2,
      err: expect.stringContaining("letters"),
    });
  });

  it("says what the service does, and makes a sign-in link", async () => {
    expect((await world.ckettle(["status"])).out).toContain(`at ${world.url}`);
    expect((await world.ckettle(["status", "--link"])).out).toMatch(
      /^http:\/\/127\.0\.0\.1:\d+\/sign-in#code=[\w-]{32}\n$/,
    );
  });

  it("ends with 3 when there is no service, 4 when it may not, 2 when it is used wrongly", async () => {
    expect(await ckettle(["--url", "http://127.0.0.1:9", "status"], {})).toMatchObject({
      code: 3,
      err: expect.stringContaining("ckettle serve"),
    });
    expect(await ckettle(["--url", world.stays.url, "--token", "x", "status"], {})).toMatchObject({
      code: 3,
      err: expect.stringContaining("not Copper Kettle"),
    });
    expect(await ckettle(["--url", world.url, "--token", "ck_wrong", "status"], {})).toMatchObject({
      code: 4,
    });
    expect(await world.ckettle(["strat", "greet-guest"])).toMatchObject({
      code: 2,
      err: expect.stringContaining("start"),
    });
    expect(await world.ckettle(["start", "greet-guest", "-i", "novalue"])).toMatchObject({
      code: 2,
      err: expect.stringContaining("key=value"),
    });
    expect((await world.ckettle(["--help"])).code).toBe(0);
  });

  it("prints no colours and nothing but data when piped", async () => {
    const said = await world.ckettle(["run", "list"]);
    // eslint-disable-next-line no-control-regex
    expect(said.out).not.toMatch(/\u001b/);
    expect(said.err).toBe("");
  });

  it("begins with what V8 made of it at the build, and works as well without that", async () => {
    const bundle = createRequire(import.meta.url)(join(root, "cli/bin/bundle.cjs")) as {
      compiled: (file: string) => { cachedDataRejected?: boolean };
    };
    const kept = join(root, "cli/dist/bundle");
    const files = (await readdir(kept)).filter((name) => name.endsWith(".cache"));
    expect(files).toContain("ckettle.cjs.cache");
    expect(files.some((name) => name.startsWith("run-"))).toBe(true);
    for (const name of files) {
      const { cachedDataRejected } = bundle.compiled(join(kept, name.replace(/\.cache$/, "")));
      expect([name, cachedDataRejected]).toEqual([name, false]);
    }
    const other = join(folder, "moved");
    await cp(join(root, "cli/bin"), join(other, "bin"), { recursive: true });
    await cp(kept, join(other, "dist/bundle"), { recursive: true });
    await writeFile(join(other, "dist/bundle/ckettle.cjs.cache"), "made by something else");
    for (const name of files.filter((one) => one.startsWith("schemas-")))
      await rm(join(other, "dist/bundle", name));
    const { stdout } = await promisify(execFile)(process.execPath, [
      join(other, "bin/ckettle.cjs"),
      "--version",
    ]);
    expect(stdout.trim()).toBe((await ckettle(["--version"], {})).out.trim());
  });

  it("fits its tables to the terminal, with numbers at the right, the zone once, and the next command ready to paste", async () => {
    await world.ckettle(["workflow", "push", "--publish", example("greet-guest")]);
    const { out: id } = await world.ckettle(["start", "greet-guest", "-i", "email=fit@h.example"]);
    await world.ckettle(["run", "follow", id.trim()]);
    const list = (columns: number) => [
      "-qec",
      `stty cols ${columns}; "${process.execPath}" "${join(root, "cli/bin/ckettle.cjs")}" run list`,
      "/dev/null",
    ];
    const inTerminal = async (columns: number): Promise<string[]> => {
      const env = { ...process.env, COPPER_KETTLE_DATA: world.folder, TZ: "Europe/Vienna", NO_COLOR: "1" };
      const { stdout } = await promisify(execFile)("script", list(columns), { env });
      return stdout.replaceAll("\r", "").trimEnd().split("\n");
    };
    const wide = await inTerminal(160);
    expect(wide[0]).toMatch(/^RUN +WORKFLOW +STATE +STARTED \(UTC\+[12]\) +TOOK, S +CALLS$/);
    const right = wide.slice(0, -1).map((line) => line.length);
    expect(new Set(right.slice(0, 2)).size).toBe(1);
    expect(wide.at(-1)).toMatch(/^What happened in one: ckettle run show \S+$/);
    const narrow = await inTerminal(80);
    expect(narrow.length).toBeGreaterThan(wide.length);
    expect(Math.max(...narrow.map((line) => line.length))).toBeLessThanOrEqual(80);
    expect(narrow.join("\n")).toContain(id.trim());
  });
});
