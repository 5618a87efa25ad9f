"use strict";
/* eslint-disable @typescript-eslint/no-require-imports -- Node starts CommonJS faster. */
const { readFileSync } = require("node:fs");
const { join } = require("node:path");
const { constants, Script } = require("node:vm");

/**
 * The files of the bundle, each with what V8 made of it when it was built (`warm.mjs`): to compile them anew takes as
 * long as to run them. V8 itself turns down what another version of it made, or what belongs to another text.
 */
const folder = join(__dirname, "../dist/bundle");
const modules = new Map();
/** What was compiled, by file. */
const scripts = new Map();

function load(name) {
  const known = modules.get(name);
  if (known) return known.exports;
  const filename = join(folder, name);
  const module = { exports: {} };
  modules.set(name, module);
  const script = compiled(filename);
  scripts.set(filename, script);
  const within = (id) => (id.startsWith("./") ? load(id.slice(2)) : require(id));
  script.runInThisContext()(module.exports, within, module, filename, folder);
  return module.exports;
}

function compiled(filename) {
  const text = readFileSync(filename, "utf8");
  return new Script(`(function (exports, require, module, __filename, __dirname) {${text}\n})`, {
    filename,
    cachedData: cacheOf(filename),
    importModuleDynamically: constants.USE_MAIN_CONTEXT_DEFAULT_LOADER,
  });
}

function cacheOf(filename) {
  try {
    return readFileSync(`${filename}.cache`);
  } catch {
    return undefined;
  }
}

module.exports = { compiled, load, scripts };
