#!/usr/bin/env node
"use strict";
/* eslint-disable-next-line @typescript-eslint/no-require-imports -- Node starts CommonJS faster. */
require("../dist/bundle/ckettle.cjs");
