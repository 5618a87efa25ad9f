import { fileURLToPath } from "node:url";
import { defineConfig } from "vitest/config";

const source = (folder: string): string => fileURLToPath(new URL(`./${folder}/index.ts`, import.meta.url));

export default defineConfig({
  resolve: {
    // Tests read the sources; the processes that they start are the built ones.
    alias: Object.fromEntries(
      ["core", "contract", "service", "standins"].map((name) => [`@copper-kettle/${name}`, source(name)]),
    ),
  },
  test: {
    include: ["{core,contract,service,cli,console,standins}/**/*.test.ts", "acceptance/**/*.test.ts"],
    exclude: ["**/dist/**", "**/node_modules/**"],
    testTimeout: 300_000, // a machine may be slow; nothing is a timed test
    hookTimeout: 120_000,
    maxWorkers: 2,
  },
});
