import { routes } from "@copper-kettle/contract";
import { mkdtemp, readFile, rm, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { World } from "./kit.js";

describe("what the editor does, on the command line", () => {
  let world: World;
  let folder: string;
  beforeAll(async () => {
    world = await World.start({ demo: true });
    folder = await mkdtemp(join(tmpdir(), "ckettle-edit-"));
  });
  afterAll(async () => {
    await world.close();
    await rm(folder, { recursive: true, force: true });
  });
  const ok = async (...args: string[]): Promise<string> => {
    const said = await world.ckettle(["workflow", ...args]);
    expect(said, said.err).toMatchObject({ code: 0 });
    return said.out;
  };
  const draft = async (name: string): Promise<string> =>
    (await world.client.call(routes.workflow, { params: { name } })).text;

  it("builds a draft from nothing, step by step, that has no problems and runs", async () => {
    await ok("new", "look-up", "--title", "Look somebody up");
    expect((await world.ckettle(["workflow", "new", "look-up"])).code).not.toBe(0);
    expect(await ok("add-step", "look-up", "GET ${constants.stays}/guests", "--name", "guest")).toContain(
      "the draft of look-up: changed at steps[0]",
    );
    await ok("set", "look-up", "using", "stays-key", "--step", "guest");
    await ok("set", "look-up", "query.email", "${inputs.email}", "--step", "guest");
    await ok("set", "look-up", "inputs.properties.email", '{"type": "string"}');
    await ok("add-step", "look-up", "if", "--name", "known");
    await ok("set", "look-up", "if", "size(steps.guest.body.items) > 0", "--step", "known");
    await ok("add-step", "look-up", "note", "--in", "known.then", "--name", "there");
    await ok("set", "look-up", "note", "there", "--step", "there");
    await ok("add-step", "look-up", "note", "--in", "known.else", "--name", "absent");
    await ok("set", "look-up", "note", "absent", "--step", "absent");
    expect(await draft("look-up")).toBe(`copper-kettle: 1
name: look-up
title: Look somebody up
inputs:
  properties: { email: { type: string } }
triggers: { by_hand: { by-hand: {} } }
steps:
  - step: guest
    request: GET \${constants.stays}/guests
    using: stays-key
    query: { email: "\${inputs.email}" }
  - step: known
    if: size(steps.guest.body.items) > 0
    then:
      - step: there
        note: there
    else:
      - step: absent
        note: absent
`);
    await ok("publish", "look-up");
    const run = await world.settled((await world.run("look-up", { email: "odd@huts.example" })).id);
    expect(run.state).toBe("succeeded");
  });

  it("edits a file, keeps its comments, and says who reads what is gone", async () => {
    const file = join(folder, "a.yaml");
    const text = `copper-kettle: 1\nname: a\nsteps:\n  # first\n  - { step: one, note: x } # stays\n  - { step: two, note: "\${steps.one}" }\n`;
    await writeFile(file, text);
    await ok("rename-step", file, "one", "first");
    expect(await readFile(file, "utf8")).toBe(text.replaceAll("one", "first"));
    await ok("duplicate-step", file, "first");
    await ok("move-step", file, "first2", "--after", "two");
    const removed = await world.ckettle(["workflow", "remove-step", file, "first"]);
    expect(removed.err).toContain("The step two reads first, which is not known there");
    await ok("unset", file, "note", "--step", "two");
    expect(await readFile(file, "utf8")).toBe(
      `copper-kettle: 1\nname: a\nsteps:\n  - { step: two }\n  # first\n  - { step: first2, note: x } # stays\n`,
    );
    await world.ckettle(
      ["workflow", "add-step", file, "-", "--before", "two"],
      "step: pasted\nnote: hello\n",
    );
    expect(await readFile(file, "utf8")).toContain("- step: pasted\n    note: hello\n  - { step: two }");
  });

  it("refuses what cannot be, with exit code 2 and a reason, and leaves the file as it was", async () => {
    const file = join(folder, "b.yaml");
    const text = "copper-kettle: 1\nname: b\nsteps:\n  - { step: one, note: x }\n";
    await writeFile(file, text);
    const refused = async (...args: string[]): Promise<string> => {
      const { code, err } = await world.ckettle(["workflow", ...args]);
      expect(code).toBe(2);
      return err;
    };
    expect(await refused("rename-step", file, "two", "three")).toContain('There is no step "two"');
    expect(await refused("add-step", file, "loop")).toContain('"loop" is no kind of step');
    expect(await refused("add-step", file, "note", "--in", "one.then")).toContain("holds no steps");
    expect(await refused("move-step", file, "one", "--after", "nine")).toContain('There is no step "nine"');
    expect(await refused("set", file, "", "x")).toContain("cannot be set");
    expect(await refused("add-step", join(folder, "none.yaml"), "note")).toContain("There is no file");
    expect(await refused("new", "Bad Name")).toContain("is no name");
    expect(await readFile(file, "utf8")).toBe(text);
  });

  it("copies a workflow and lists what the copy is tied to", async () => {
    await world.publishExample("greet-guest");
    const out = await ok("duplicate", "greet-guest", "greet-again", "--title", "Greet again");
    expect(out).toContain("credential stays-key: guest, made");
    expect(out).toContain("constant boards: post");
    expect(await draft("greet-again")).toBe(
      (await draft("greet-guest"))
        .replace("name: greet-guest", "name: greet-again")
        .replace("title: Greet a guest", "title: Greet again"),
    );
  });
});
