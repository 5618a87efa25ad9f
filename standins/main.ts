import { boards } from "./boards.js";
import { cairn } from "./cairn.js";
import { depot } from "./depot.js";
import { desk } from "./desk.js";
import { identity } from "./identity.js";
import { ledger } from "./ledger.js";
import { notices } from "./notices.js";
import { passes } from "./passes.js";
import { staff } from "./staff.js";
import { startStandIn } from "./stand-in.js";
import { stays } from "./stays.js";
import { stores } from "./stores.js";
import { tanks } from "./tanks.js";
import { trails } from "./trails.js";

/**
 * Starts all stand-ins and prints their addresses as one line of JSON: { "stays": "http://…", … }. An argument such as
 * `stays=4101` asks for a port; where it is taken, any other will do.
 */
const wanted = new Map(process.argv.slice(2).map((text) => text.split("=") as [string, string]));
const server = identity();
const started = await Promise.all(
  [
    stays(),
    boards(server),
    depot(),
    stores(),
    tanks(),
    trails(),
    server,
    staff(server),
    ledger(server),
    passes(),
    notices(),
    cairn(),
    desk(),
  ].map((definition) =>
    startStandIn(definition, Number(wanted.get(definition.name) ?? 0)).catch(() => startStandIn(definition)),
  ),
);
process.stdout.write(`${JSON.stringify(Object.fromEntries(started.map(({ name, url }) => [name, url])))}\n`);

const close = (): void => void Promise.all(started.map((one) => one.close())).then(() => process.exit(0));
process.on("SIGTERM", close);
process.on("SIGINT", close);
// A parent that is gone takes its stand-ins with it.
process.stdin.on("end", close).resume();
