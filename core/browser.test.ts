import { mkdtemp, readFile, rm } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { chromium } from "playwright-core";
import { build } from "vite";
import { expect, it } from "vitest";
import type * as Core from "./index.js";

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
    expect(result.problem).toContain('did you mean "note"?');
    expect(result.hash).toMatch(/^[0-9a-f]{64}$/);
  } finally {
    await browser.close();
    await rm(outDir, { recursive: true });
  }
});
