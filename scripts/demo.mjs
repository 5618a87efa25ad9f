import { spawn } from "node:child_process";
import { join } from "node:path";
import { build, installPackages, root } from "./lib/prepare.mjs";

// npm run demo: installs what is missing, builds, and hands over to `ckettle demo`.
await installPackages();
await build();
const demo = spawn(
  process.execPath,
  [join(root, "cli", "bin", "ckettle.cjs"), "demo", ...process.argv.slice(2)],
  { stdio: "inherit" },
);
for (const signal of ["SIGINT", "SIGTERM"]) process.on(signal, () => demo.kill("SIGTERM"));
demo.on("exit", (code) => process.exit(code ?? 0));
