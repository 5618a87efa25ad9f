import { triggerEventsRoutes, type Client, type TriggerEvent } from "@copper-kettle/contract";
import { isObject, parseJson, printJson, type Json, type JsonObject } from "@copper-kettle/core";
import type { Command } from "commander";
import { setTimeout as pause } from "node:timers/promises";
import { clientOf, Exit, exitCodes, globalsOf } from "../context.js";
import { momentText, say, show, timeText } from "../output.js";
import { table } from "../table.js";
import { readText } from "../read-text.js";

/** While somebody waits for a delivery, it is looked for this often, in milliseconds. */
const lookEvery = 1_000;

/** Of `trigger`: what triggers brought, again, as samples, or made up. */
export function addTriggerEvents(group: Command): void {
  group
    .command("events")
    .description("show what the triggers of a workflow brought, and what became of it, newest first")
    .argument("<workflow>")
    .argument("[trigger]")
    .option("--limit <number>", "how many", "20")
    .action(
      async (name: string, trigger: string | undefined, options: { limit: string }, command: Command) => {
        const globals = globalsOf(command);
        const { events } = await clientOf(globals).call(triggerEventsRoutes.listEvents, {
          params: { name },
          query: { limit: Number(options.limit), ...(trigger === undefined ? {} : { trigger }) },
        });
        const rows = events.map((event) => [
          event.id,
          timeText(event.at),
          event.trigger,
          event.state,
          runsOf(event),
          event.reason ?? shortOf(event.brought as Json),
        ]);
        show(globals, events, () =>
          table(["EVENT", { times: "AT" }, "TRIGGER", "STATE", "RUN", ""], rows, "No events yet."),
        );
      },
    );
  group
    .command("resend")
    .description("send an event through again, to the version in force or to the draft; keys do not count")
    .argument("<event>", "its id, from: ckettle trigger events")
    .option("--draft", "to the draft as it is now")
    .action(async (id: string, options: { draft?: boolean }, command: Command) => {
      const globals = globalsOf(command);
      const event = await clientOf(globals).call(triggerEventsRoutes.resendEvent, {
        params: { id },
        body: { version: options.draft ? "draft" : "published" },
      });
      show(globals, event, () => eventLine(event));
      if (!["started", "arrived"].includes(event.state)) throw new Exit(exitCodes.runFailed);
    });
  group
    .command("follow")
    .description("wait for what the triggers of a workflow bring, and print it; Ctrl+C ends it")
    .argument("<workflow>")
    .option("--draft", "first give the draft an address, at which it takes deliveries for an hour")
    .option("--once", "end with the first one, and save it as a sample")
    .action(async (name: string, options: { draft?: boolean; once?: boolean }, command: Command) => {
      const globals = globalsOf(command);
      const client = clientOf(globals);
      let newest = (await newer(client, name, undefined))[0]?.id ?? "";
      if (options.draft) {
        const { address, until } = await client.call(triggerEventsRoutes.draftAddress, { params: { name } });
        say(`Until ${momentText(until)} the draft takes deliveries at:`);
        process.stdout.write(`${address}\n`);
      }
      for (;;) {
        for (const event of (await newer(client, name, newest)).reverse()) {
          newest = event.id;
          show(globals, event, () => `${eventLine(event)}\n${JSON.stringify(event.brought, undefined, 2)}`);
          if (!options.once) continue;
          await client.call(triggerEventsRoutes.keepEvent, { params: { id: event.id } });
          say(`It is saved as a sample: check and completion know what ${event.trigger} brings.`);
          return;
        }
        await pause(lookEvery);
      }
    });
  group
    .command("sample")
    .description("save an event as the sample of its trigger: check and completion know its shape")
    .argument("<event>", "its id, from: ckettle trigger events")
    .action(async (id: string, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const event = await clientOf(globals).call(triggerEventsRoutes.keepEvent, { params: { id } });
      show(globals, event, () => `${event.id} is the sample of ${event.trigger}.`);
    });
  group
    .command("make-up")
    .description('give the draft an event that you made up, such as { "body": … }; it is marked as such')
    .argument("<workflow>")
    .argument("<trigger>")
    .argument("<file>", "what it brings, as JSON; or - for standard input")
    .action(async (name: string, trigger: string, file: string, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const event = await clientOf(globals).call(triggerEventsRoutes.makeUpEvent, {
        params: { name },
        body: { trigger, brought: broughtIn(readText(file), file) as never },
      });
      show(globals, event, () => eventLine(event));
      if (!["started", "arrived"].includes(event.state)) throw new Exit(exitCodes.runFailed);
    });
}

/** The events that came after one, newest first. */
async function newer(client: Client, name: string, id: string | undefined): Promise<TriggerEvent[]> {
  const limit = id === undefined ? 1 : 50;
  const { events } = await client.call(triggerEventsRoutes.listEvents, {
    params: { name },
    query: { limit },
  });
  return id === undefined ? events : events.filter((event) => event.id > id);
}

function broughtIn(text: string, file: string): JsonObject {
  try {
    const value = parseJson(text);
    if (isObject(value)) return value;
  } catch {
    // said below
  }
  throw new Exit(exitCodes.wrongUse, `${file} must hold a JSON object, such as { "body": { "id": "s-1" } }.`);
}

/** The run that an event started, and how many more. */
const runsOf = ({ run, runs }: TriggerEvent): string =>
  run === null ? "" : runs > 1 ? `${run} and ${runs - 1} more` : run;

export function eventLine(event: TriggerEvent): string {
  const { state, at, run, reason } = event;
  return [
    `${state}, ${momentText(at)}`,
    ...(run === null ? [] : [`run ${runsOf(event)}`]),
    ...(reason === null ? [] : [reason]),
  ].join(", ");
}

const shortOf = (brought: Json): string => {
  const text = printJson(brought);
  return text === "{}" ? "" : text.length > 60 ? `${text.slice(0, 59)}…` : text;
};
