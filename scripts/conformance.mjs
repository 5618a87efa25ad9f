import { spawnSync } from "node:child_process";
import { join } from "node:path";
import { installPackages, root } from "./lib/prepare.mjs";

// npm run conformance: runs the conformance suite of CEL on our evaluator, and prints passed and total by section.
// With --keep the page core/conformance.md is made again. Fails when something fails that is not a wanted departure.
await installPackages();
const keep = process.argv.includes("--keep");
const { status } = spawnSync(
  process.execPath,
  [join(root, "node_modules/vitest/vitest.mjs"), "run", "core/conformance", "--silent=false"],
  { cwd: root, stdio: "inherit", env: { ...process.env, CONFORMANCE: keep ? "keep" : "print" } },
);
process.exitCode = status ?? 1;
