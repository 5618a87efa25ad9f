import { bounds, printProblem, readWorkflow, referencePage } from "@copper-kettle/core";
import { existsSync, readdirSync, readFileSync } from "node:fs";
import { mkdtemp, rm, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { cliPage } from "../cli/reference.js";
import { root, World } from "./kit.js";

/** A folder of the sources, and all those in it. */
function foldersOf(folder: string): string[] {
  const inner = readdirSync(join(root, folder), { withFileTypes: true })
    .filter((one) => one.isDirectory() && !/^(node_modules|dist|bin|openapi)$/.test(one.name))
    .flatMap(({ name }) => foldersOf(`${folder}/${name}`));
  return [folder, ...inner];
}

const read = (file: string): string => readFileSync(join(root, file), "utf8");
const pages = [
  "README.md",
  ...readdirSync(join(root, "docs"))
    .filter((file) => file.endsWith(".md"))
    .map((file) => `docs/${file}`),
];
const blocks = (file: string, language: string): string[] =>
  [...read(file).matchAll(new RegExp(`\`\`\`${language}\n([\\s\\S]*?)\`\`\``, "g"))].map(
    (match) => match[1] as string,
  );

describe("what the docs say", () => {
  it.each(pages)("%s: every link leads somewhere", (page) => {
    for (const [, target] of read(page).matchAll(/\]\(([^)#\s]+)(?:#[^)]*)?\)/g)) {
      if (/^https?:/.test(target as string)) continue;
      expect(existsSync(join(root, dirname(page), target as string)), `${page}: ${target}`).toBe(true);
    }
  });

  it("lists every bound with its value, and no other", () => {
    const rows = [...read("docs/limits.md").matchAll(/^\| `(\w+)`\s+\| ([\d,]+)\s+\|/gm)].map(
      ([, name, value]) => [name, value],
    );
    expect(rows).toEqual(Object.entries(bounds).map(([name, value]) => [name, value.toLocaleString("en")]));
  });

  it("names only scripts that are there", () => {
    const { scripts } = JSON.parse(read("package.json")) as { scripts: Record<string, string> };
    for (const page of pages)
      for (const [, name] of read(page).matchAll(/npm run (\w+)/g))
        expect(Object.keys(scripts), page).toContain(name);
  });

  it("every picture is linked from the README, and there are fewer than twenty", () => {
    const pictures = readdirSync(join(root, "docs/screenshots"));
    expect(pictures.length).toBeLessThan(20);
    for (const picture of pictures) expect(read("README.md")).toContain(`docs/screenshots/${picture}`);
  });

  it("the step of each kind in the page on the file is one that the check takes", () => {
    const examples = blocks("docs/workflow-file.md", "yaml").filter((text) => text.startsWith("- step:"));
    expect(examples.length).toBeGreaterThanOrEqual(3);
    for (const example of examples) {
      const before =
        "  - { step: guest, request: GET https://a.example }\n  - { step: huts, request: GET https://a.example }\n";
      let count = 0;
      const inner = (): string => `[{ step: post${count++ || ""}, note: x }]`;
      const text = example.replaceAll("[ … ]", inner).replace(/else: .*/, "else: []");
      const file = `copper-kettle: 1\nname: example\ninputs: { type: object, additionalProperties: true }\nsteps:\n${before}${text.replace(/^/gm, "  ")}`;
      expect(readWorkflow(file).problems.map((problem) => printProblem(problem, example))).toEqual([]);
    }
  });

  it("the page on ckettle is the one that its commands make", async () => {
    expect(read("docs/cli.md")).toBe(await cliPage());
  });

  it("each folder of the sources says in a README of at most 15 lines what is in it", () => {
    const sources = ["core", "contract", "service", "cli", "standins", "acceptance", "scripts", "examples"];
    const folders = [...sources.flatMap(foldersOf), "console"];
    expect(folders.length).toBeGreaterThan(30);
    for (const folder of folders) {
      const lines = read(`${folder}/README.md`).trim().split("\n");
      expect(lines[0], folder).toBe(`# ${folder.split("/").at(-1) as string}`);
      expect(lines.length, folder).toBeLessThanOrEqual(15);
    }
  });

  it("the page on expressions is the one that the library's tables make", () => {
    expect(read("docs/expressions.md")).toBe(referencePage());
  });

  it("every setting of the page on the service is read by it", () => {
    const config = read("service/config.ts");
    for (const [name] of read("docs/service.md").matchAll(/COPPER_KETTLE_[A-Z_]+/g))
      expect(config).toContain(name);
  });
});

describe("the five minutes of the README", () => {
  let world: World;
  let folder: string;
  beforeAll(async () => {
    world = await World.start();
    folder = await mkdtemp(join(tmpdir(), "ckettle-readme-"));
    await writeFile(join(folder, "first.yaml"), blocks("README.md", "yaml")[0] as string);
  });
  afterAll(async () => {
    await world.close();
    await rm(folder, { recursive: true });
  });

  it("come out as they say", async () => {
    const file = join(folder, "first.yaml");
    expect(await world.ckettle(["check", file])).toEqual({ code: 0, out: "", err: "" });
    expect((await world.ckettle(["workflow", "push", file, "--publish"])).out).toBe("first: version 1\n");
    const found = await world.ckettle(["start", "first", "--input", "email=odd@huts.example", "--wait"]);
    expect(JSON.parse(found.out)).toEqual({ id: "g-1" });
    const nobody = await world.ckettle(["start", "first", "--input", "email=piet@alpha.example", "--wait"]);
    expect(JSON.parse(nobody.out)).toEqual({ message: "Nobody has the address piet@alpha.example." });
  });

  it("say what is wrong when it is broken on purpose", async () => {
    const good = blocks("README.md", "yaml")[0] as string;
    const broken = join(folder, "broken.yaml");
    await writeFile(broken, good.replace("request:", "reqest:"));
    expect(await world.ckettle(["check", broken])).toMatchObject({
      code: 2,
      out: expect.stringContaining('did you mean "request"?'),
    });
    await writeFile(
      broken,
      good.replace("name: first", "name: broken").replaceAll("body.items", "body.itms"),
    );
    expect((await world.ckettle(["workflow", "push", broken, "--publish"])).code).toBe(0);
    const run = await world.ckettle(["start", "broken", "--input", "email=odd@huts.example", "--wait"]);
    expect(run).toMatchObject({
      code: 1,
      err: expect.stringContaining('No "itms" in steps.guest.body; it has "items".'),
    });
  });
});
