import type { Express } from "express";
import { ledgerResource, type Identity } from "./identity.js";
import type { Definition } from "./stand-in.js";
import { tokenGuard } from "./token-guard.js";

/** The books: accounts, and the close of a month, which takes a while and is asked for until it is done. */
export function ledger(identity: Identity): Definition {
  let closes: { id: string; month: string; looks: number }[] = [];
  /** How often a close is asked for before it is done. */
  const settings = { looksUntilDone: 3 };

  return {
    name: "ledger",
    settings,
    reset: () => {
      closes = [];
      settings.looksUntilDone = 3;
    },
    routes(app: Express) {
      app.use(
        tokenGuard(identity, ledgerResource, ({ method }) =>
          method === "GET" ? "ledger:read" : "ledger:close",
        ),
      );
      app.get(
        "/accounts",
        (_request, response) =>
          void response.json({
            items: [
              { id: "a-10", title: "Stays", balance: "184200.50", unit: "crowns" },
              { id: "a-20", title: "Stores", balance: "-3120.75", unit: "crowns" },
            ],
          }),
      );
      app.post("/closes", (request, response) => {
        const { month } = (request.body ?? {}) as { month?: unknown };
        if (typeof month !== "string" || !/^\d{4}-\d{2}$/.test(month))
          return void response
            .status(422)
            .json({ error: "invalid", message: "A close needs a month, such as 2027-02." });
        const close = { id: `c-${closes.length + 1}`, month, looks: 0 };
        closes.push(close);
        response
          .status(202)
          .set("Location", `/closes/${close.id}`)
          .json({ id: close.id, month, state: "working" });
      });
      app.get("/closes/:id", (request, response) => {
        const close = closes.find(({ id }) => id === request.params.id);
        if (!close)
          return void response
            .status(404)
            .json({ error: "no-such-close", message: `There is no ${request.params.id}.` });
        close.looks++;
        const { id, month } = close;
        response.json({ id, month, state: close.looks < settings.looksUntilDone ? "working" : "done" });
      });
    },
  };
}
