import { writeFileSync } from "node:fs";
import { join } from "node:path";
import { build, installPackages, root, say } from "./lib/prepare.mjs";

// npm run reference: makes docs/expressions.md from the tables of the library, and docs/cli.md from the commands.
await installPackages();
await build();
const { referencePage } = await import("../core/dist/index.js");
writeFileSync(join(root, "docs/expressions.md"), referencePage());
const { cliPage } = await import("../cli/dist/reference.js");
writeFileSync(join(root, "docs/cli.md"), await cliPage());
say("Wrote docs/expressions.md and docs/cli.md.");
