import { defineConfig } from "vitest/config";

export default defineConfig({
  ssr: { resolve: { conditions: ["source", "node", "import", "default"] } },
  resolve: { conditions: ["source"] },
  test: {
    include: ["{core,contract,service,cli,console,standins}/**/*.test.ts", "acceptance/**/*.test.ts"],
    exclude: ["**/dist/**", "**/node_modules/**"],
    testTimeout: 60_000,
    hookTimeout: 120_000,
    maxWorkers: 2,
  },
});
