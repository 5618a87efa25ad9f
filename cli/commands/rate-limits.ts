import { rateLimitsRoutes } from "@copper-kettle/contract";
import { printForPeople } from "@copper-kettle/core";
import type { Command } from "commander";
import { clientOf, globalsOf } from "../context.js";
import { show, timeText } from "../output.js";
import { table } from "../table.js";

/** `rate-limits`: how fast calls may go. */
export function addRateLimits(program: Command): void {
  program
    .command("rate-limits")
    .description("show how fast calls may go, by API and credential")
    .action(async (_options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const { rateLimits } = await clientOf(globals).call(rateLimitsRoutes.rateLimits);
      show(globals, rateLimits, () =>
        table(
          [
            "API",
            "CREDENTIAL",
            "RATE LIMIT",
            { numbers: "IN FLIGHT" },
            { numbers: "WAITING" },
            { times: "PAUSED UNTIL" },
          ],
          rateLimits.map((limit) => [
            limit.api ?? limit.target,
            limit.credential ?? "",
            [
              limit.calls === null ? "" : `${limit.calls} per ${printForPeople(limit.per ?? 0)}`,
              limit.parallel === null ? "" : `${limit.parallel} in parallel`,
            ]
              .filter(Boolean)
              .join(", ") || "no limit",
            String(limit.under),
            String(limit.waiting),
            timeText(limit.pausedUntil),
          ]),
          "No API was called yet.",
        ),
      );
    });
}
