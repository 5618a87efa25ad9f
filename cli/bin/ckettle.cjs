#!/usr/bin/env node
"use strict";
/* eslint-disable-next-line @typescript-eslint/no-require-imports -- Node starts CommonJS faster. */
require("./bundle.cjs").load("ckettle.cjs");
