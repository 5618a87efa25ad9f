import { existsSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { aptGet, asRoot, build, installPackages, root, run, say } from "./lib/prepare.mjs";
import { missingServers } from "./lib/real-servers.mjs";

// npm run real: installs servers that nobody here wrote from Debian's packages, and runs the tests against them.
const policy = "/usr/sbin/policy-rc.d";
try {
  await installPackages();
  const missing = missingServers();
  if (missing.length > 0) {
    say(`Installing from Debian's packages: ${missing.map(({ name }) => name).join(", ")} …`);
    // None of them is to start by itself: the tests start their own.
    const isOurs = process.getuid?.() === 0 && !existsSync(policy);
    if (isOurs) writeFileSync(policy, "#!/bin/sh\nexit 101\n", { mode: 0o755 });
    try {
      await aptGet(asRoot(), ["update"]);
      const packages = missing.map((server) => server.package);
      await aptGet(asRoot(), ["install", "-y", "--no-install-recommends", ...packages]);
    } finally {
      if (isOurs) rmSync(policy);
    }
  }
  await build();
  await run(join(root, "node_modules", ".bin", "vitest"), ["run", "acceptance/real"], { loud: true });
} catch (error) {
  say(error.message);
  process.exit(1);
}
