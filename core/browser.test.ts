import { mkdtemp, readFile, rm } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { chromium } from "playwright-core";
import { build } from "vite";
import { expect, it } from "vitest";
import { attacks, hostile } from "./expressions/attacks.test.kit.js";
import type * as Core from "./index.js";
import { printJson } from "./index.js";

it("runs in a browser: a bundle checks a file and evaluates an expression there", async () => {
  const outDir = await mkdtemp(join(tmpdir(), "ckettle-core-"));
  await build({
    configFile: false,
    logLevel: "silent",
    build: {
      outDir,
      emptyOutDir: true,
      minify: false,
      lib: {
        entry: fileURLToPath(new URL("./index.ts", import.meta.url)),
        formats: ["iife"],
        name: "core",
        fileName: "core",
      },
    },
  });
  const bundle = await readFile(join(outDir, "core.iife.js"), "utf8");
  expect(bundle).not.toMatch(/require\(["']node:|from ["']node:/);
  const browser = await chromium.launch({
    executablePath: "/usr/bin/chromium",
    args: ["--no-sandbox", "--disable-gpu"],
  });
  try {
    const page = await browser.newPage();
    await page.addScriptTag({ content: bundle });
    const result = await page.evaluate(() => {
      const core = (globalThis as unknown as { core: typeof Core }).core;
      const { problems } = core.readWorkflow("copper-kettle: 1\nname: a\nsteps:\n  - { step: a, nte: x }\n");
      const expression = core.compile('hex(hmacSha256("k", text))');
      return {
        problem: problems[0]?.message,
        hash: core.evaluateToJson(expression, { text: "é" }, { now: () => 0, uuid: () => "" }),
      };
    });
    // What is meant to break the evaluator does not break it here either, nor the page.
    const { deep: _deep, ...data } = hostile;
    const outcomes = await page.evaluate(
      ({ json, list }) => {
        const core = (globalThis as unknown as { core: typeof Core }).core;
        let deep: Core.ValueMap | number = 1;
        for (let depth = 0; depth < 20_000; depth++) deep = { a: deep };
        const scope = { ...(core.parseJson(json) as Core.ValueMap), deep } as Core.ValueMap;
        return list.map(([what, text]) => {
          const began = performance.now();
          let ended = "a value";
          try {
            core.evaluateToJson(core.compile(text), scope, { now: () => 0, uuid: () => "" });
          } catch (error) {
            ended = error instanceof core.ExpressionError ? "our error" : String(error);
          }
          return { what, ended, took: performance.now() - began };
        });
      },
      { json: printJson(data), list: attacks },
    );
    expect(outcomes.filter(({ ended }) => ended !== "a value" && ended !== "our error")).toEqual([]);
    // Far above what it takes: a machine under load must not fail it, and a hang must.
    expect(outcomes.filter(({ took }) => took > 4_000)).toEqual([]);
    expect(result.problem).toContain('did you mean "note"?');
    expect(result.hash).toMatch(/^[0-9a-f]{64}$/);
  } finally {
    await browser.close();
    await rm(outDir, { recursive: true });
  }
});
