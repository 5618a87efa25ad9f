#!/usr/bin/env node
import "../dist/bundle/ckettle.js";
