import { join } from "node:path";
import { build, installChromium, installPackages, root, run, say } from "./lib/prepare.mjs";

// npm test: installs what is missing, builds, checks types, style and borders, and runs every test.
const bin = (name) => join(root, "node_modules", ".bin", name);
try {
  await installPackages();
  await installChromium();
  await build();
  say("Checking types …");
  await run(bin("tsc"), ["-p", "tsconfig.tests.json"], { what: "checking types" });
  await run("npm", ["run", "check:types", "-w", "console", "--silent"], { what: "checking types" });
  say("Checking style and folder borders …");
  await run(bin("eslint"), ["."], { what: "linting" });
  await run(bin("prettier"), ["--check", "--log-level", "warn", "."], { what: "checking format" });
  say("Running the tests …");
  await run(bin("vitest"), ["run", ...process.argv.slice(2)], { loud: true });
} catch (error) {
  say(error.message);
  process.exit(1);
}
