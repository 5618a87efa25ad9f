import { writeFileSync } from "node:fs";
import { join } from "node:path";
import { build, installPackages, root, say } from "./lib/prepare.mjs";

// npm run reference: makes docs/expressions.md anew from the tables of the library.
await installPackages();
await build();
const { referencePage } = await import("../core/dist/index.js");
writeFileSync(join(root, "docs/expressions.md"), referencePage());
say("docs/expressions.md is made anew.");
