import { spawn, spawnSync } from "node:child_process";
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from "node:fs";
import { createHash } from "node:crypto";
import { fileURLToPath } from "node:url";
import { join } from "node:path";

export const root = fileURLToPath(new URL("../../", import.meta.url));

export function say(text) {
  process.stderr.write(`${text}\n`);
}

/** Runs a command to its end; what it prints is shown only when it fails, unless `loud`. */
export function run(command, args, { what, loud = false, env = {}, cwd = root } = {}) {
  return new Promise((resolve, reject) => {
    const began = Date.now();
    const child = spawn(command, args, {
      cwd,
      env: { ...process.env, ...env },
      stdio: loud ? ["ignore", "inherit", "inherit"] : ["ignore", "pipe", "pipe"],
    });
    let output = "";
    child.stdout?.on("data", (piece) => (output += piece));
    child.stderr?.on("data", (piece) => (output += piece));
    const beat = what
      ? setInterval(() => say(`  … ${what}, ${Math.round((Date.now() - began) / 1000)} s so far`), 10_000)
      : undefined;
    child.on("error", (error) => {
      clearInterval(beat);
      reject(error);
    });
    child.on("exit", (code) => {
      clearInterval(beat);
      if (code === 0) return resolve(output);
      reject(new Error(`${command} ${args.join(" ")} ended with ${code}\n${output.slice(-8_000)}`));
    });
  });
}

/** Installs the packages of package-lock.json where they are missing or older. */
export async function installPackages() {
  const lock = createHash("sha256")
    .update(readFileSync(join(root, "package-lock.json")))
    .digest("hex");
  const stamp = join(root, "node_modules", ".copper-kettle-lock");
  const fresh = existsSync(stamp) && readFileSync(stamp, "utf8") === lock;
  if (!fresh && !installedAlready()) {
    say("Installing packages (sqlite3 is compiled, which takes about two minutes) …");
    await run("npm", ["ci", "--no-audit", "--no-fund"], { what: "installing packages" });
  }
  await buildSqlite();
  if (!fresh) writeFileSync(stamp, lock);
}

/** True when a node_modules folder made by hand holds just what the lock file says. */
function installedAlready() {
  if (!existsSync(join(root, "node_modules", "typescript"))) return false;
  return spawnSync("npm", ["ls", "--all", "--silent"], { cwd: root }).status === 0;
}

/** A newer npm may not run sqlite3's own install script; then it is compiled here. */
async function buildSqlite() {
  const folder = join(root, "node_modules", "sqlite3");
  if (existsSync(join(folder, "build", "Release", "node_sqlite3.node"))) return;
  say("Compiling sqlite3 …");
  await run(process.execPath, [join(root, "node_modules", "node-gyp", "bin", "node-gyp.js"), "rebuild"], {
    cwd: folder,
    what: "compiling sqlite3",
  });
}

/** Builds all TypeScript and the console. */
export async function build() {
  say("Building …");
  await run(process.execPath, [join(root, "node_modules", "typescript", "bin", "tsc"), "-b"], {
    what: "building",
  });
  await run("npm", ["run", "build", "-w", "console", "--silent"], { what: "building the console" });
  await run("npm", ["run", "build", "-w", "cli", "--silent"], { what: "building the commands" });
}

/** Installs Chromium from Debian's packages where it is missing. */
export async function installChromium() {
  if (existsSync("/usr/bin/chromium")) return;
  say("Installing Chromium from Debian's packages …");
  await aptGet(asRoot(), ["update"]);
  await aptGet(asRoot(), ["install", "-y", "--no-install-recommends", "chromium", "fonts-dejavu-core"]);
}

/** Where the tests' own nginx is, if the machine has none. */
const nginxFolder = join(root, "node_modules", ".cache", "nginx");

/** Fetches nginx from Debian's packages where it is missing, and unpacks it: nothing is installed, and nothing starts. */
export async function fetchNginx() {
  if (existsSync("/usr/sbin/nginx") || existsSync(join(nginxFolder, "usr/sbin/nginx"))) return;
  say("Fetching nginx from Debian's packages …");
  mkdirSync(nginxFolder, { recursive: true });
  const download = () => run("apt-get", ["download", "nginx"], { cwd: nginxFolder, what: "fetching nginx" });
  // Who has never asked for the lists of packages has to do that first.
  await download().catch(() => aptGet(asRoot(), ["update"]).then(download));
  const [file] = readdirSync(nginxFolder).filter((name) => name.endsWith(".deb"));
  await run("dpkg", ["-x", join(nginxFolder, file), nginxFolder]);
}

/** What stands before a command that only root may give. */
export function asRoot() {
  return process.getuid?.() === 0 ? [] : ["sudo"];
}

export function aptGet(before, args) {
  const [command, ...rest] = [...before, "apt-get", ...args];
  return run(command, rest, {
    what: "installing Debian's packages",
    env: { DEBIAN_FRONTEND: "noninteractive" },
  });
}
