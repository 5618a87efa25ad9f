import type { Children, Journal, JsonObject, Ports, Principal } from "@copper-kettle/core";
import { Granted } from "./granted.js";
import { newNonce } from "./ids.js";
import { describedOperation } from "./operations.js";
import type { RunnerParts } from "./runner-parts.js";

/** For whom the engine acts. */
export interface ActsFor {
  run: string;
  workflow: string;
  version: number;
  /** In whose name it uses credentials. */
  principal: Principal | null;
  journal: Journal;
  children: (granted: Granted) => Children;
  respond: (response: { status: number; headers: JsonObject; body: unknown }) => void;
  /** Of what is done again and again and has no run: its name. */
  often?: string;
}

/** What the engine gets of the service for one run. */
export function portsOf(parts: RunnerParts, acts: ActsFor): Ports {
  const { run, workflow, version, principal, journal, often } = acts;
  const granted = new Granted(parts.workflows.grants, { workflow, version });
  const files = { kind: "run", id: run } as const;
  return {
    clock: parts.clock,
    journal,
    transport: granted.transport(parts.transport),
    read: parts.reader.read,
    credentials: {
      read: async (name, url) => {
        granted.requireCredential(name);
        const by: Principal =
          often === undefined ? { kind: "run", id: run } : { kind: "service", id: "service" };
        return parts.credentials.read(name, url, {
          by,
          ...(often === undefined ? { run } : { often }),
          as: principal,
        });
      },
    },
    operation: (api, id, revision) => describedOperation(parts, run, { api, id, revision }),
    files: {
      keep: (bytes, about) => parts.files.keep(files, bytes, about),
      open: (id) => parts.files.open(files, id),
    },
    remembered: parts.remembered.of(workflow),
    rateLimits: parts.rateLimiter,
    locks: parts.locks.of(run),
    children: acts.children(granted),
    nonce: newNonce,
    constants: () => parts.constants.all(),
    respond: acts.respond,
  };
}
