"use strict";
// Required by a process that is measured: says at its end what CPU it used. A module of the older kind, so that what
// loads the newer ones does not count.
process.on("exit", () => process.stderr.write(`CPU ${JSON.stringify(process.cpuUsage())}`));
