import { printPrincipal, type Principal } from "@copper-kettle/core";
import { Op } from "sequelize";
import { ActivityRow } from "./models.js";
import type { Writer } from "./writer.js";

/** One thing that somebody did. */
export interface Deed {
  by: Principal;
  /** `added`, `changed`, `removed`, `used`, `checked`, `signed in`, `got a token`, … */
  action: string;
  kind: "credential" | "workflow" | "settings";
  name: string;
  run?: string;
  /** What else there is to say; never a secret. */
  detail?: string;
}

/** The activity record: who did what. Only ever added to. */
export class ActivityStore {
  #count = 0;

  constructor(readonly writer: Writer) {}

  /** Keeps a deed; shares the commit of whatever is written at the moment. */
  note(deed: Deed): Promise<void> {
    return this.writer.commit({
      records: [],
      statements: [
        {
          key: `activity ${this.#count++}`,
          sql: "INSERT INTO activity (at, by, action, kind, name, run, detail) VALUES (?, ?, ?, ?, ?, ?, ?)",
          values: [
            Date.now(),
            printPrincipal(deed.by),
            deed.action,
            deed.kind,
            deed.name,
            deed.run ?? null,
            deed.detail ?? null,
          ],
        },
      ],
    });
  }

  /** The newest first; `before` is the number of the oldest one that is known already. */
  list(which: {
    name?: string | undefined;
    before?: number | undefined;
    limit: number;
  }): Promise<ActivityRow[]> {
    return ActivityRow.findAll({
      where: {
        ...(which.name === undefined ? {} : { kind: "credential", name: which.name }),
        ...(which.before === undefined ? {} : { id: { [Op.lt]: which.before } }),
      },
      order: [["id", "DESC"]],
      limit: which.limit,
    });
  }
}
