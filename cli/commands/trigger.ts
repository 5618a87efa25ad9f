import { triggersRoutes, type Trigger } from "@copper-kettle/contract";
import { isObject, printJson, type Json } from "@copper-kettle/core";
import type { Command } from "commander";
import colors from "../colors.js";
import { clientOf, Exit, exitCodes, globalsOf } from "../context.js";
import { momentText, say, show, timeText } from "../output.js";
import { table } from "../table.js";
import { addTriggerEvents, eventLine } from "./trigger-events.js";

/** `trigger`: what begins runs, what it brought, and what became of that. */
export function addTrigger(program: Command): void {
  const group = program
    .command("trigger")
    .description(
      "triggers: list, show, on, off, next, now, look, looks, forget, address, events, resend, follow, sample, make-up",
    );
  group
    .command("list")
    .description("list the triggers of published versions")
    .argument("[workflow]")
    .action(async (workflow: string | undefined, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const { triggers } = await clientOf(globals).call(triggersRoutes.listTriggers, {
        query: workflow === undefined ? {} : { workflow },
      });
      show(globals, triggers, () =>
        table(
          ["WORKFLOW", "TRIGGER", "", "STARTS", { times: "NEXT" }, { times: "LAST EVENT" }],
          triggers.map(rowOf),
          "No triggers yet. Publish a workflow that has some.",
        ),
      );
    });
  const of = (name: string, description: string): Command =>
    group.command(name).description(description).argument("<workflow>").argument("<trigger>");
  of("show", "show one trigger, with its next times").action(
    async (name: string, trigger: string, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const one = await clientOf(globals).call(triggersRoutes.trigger, { params: { name, trigger } });
      show(globals, one, () => shownLines(one).join("\n"));
    },
  );
  for (const on of [true, false])
    of(
      on ? "on" : "off",
      `switch a trigger ${on ? "on" : "off"}; that holds over restarts and publishing`,
    ).action(async (name: string, trigger: string, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const one = await clientOf(globals).call(triggersRoutes.switchTrigger, {
        params: { name, trigger },
        body: { on },
      });
      show(globals, one, () => shownLines(one).join("\n"));
    });
  of("next", "print the next ten times of a schedule").action(
    async (name: string, trigger: string, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const { next, on, words } = await clientOf(globals).call(triggersRoutes.trigger, {
        params: { name, trigger },
      });
      show(globals, next, () => next.map(momentText).join("\n"));
      if (next.length === 0) say(on ? `${words}: there is no next time.` : "The trigger is off.");
    },
  );
  of("now", "let a schedule start a run now, beside its times").action(
    async (name: string, trigger: string, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const event = await clientOf(globals).call(triggersRoutes.fireTrigger, { params: { name, trigger } });
      show(globals, event, () => eventLine(event));
      if (event.state !== "started") throw new Exit(exitCodes.runFailed);
    },
  );
  of("look", "let a poll look now, and print what it would start")
    .option("--start", "and start it")
    .action(
      async (name: string, trigger: string, { start = false }: { start?: boolean }, command: Command) => {
        const globals = globalsOf(command);
        const seen = await clientOf(globals).call(triggersRoutes.lookTrigger, {
          params: { name, trigger },
          body: { start },
        });
        show(globals, seen, () =>
          [
            seen.fault ?? `${seen.read} items read; ${seen.count} start runs${seen.started ? " now" : ""}.`,
            ...seen.fresh.map((one) => `${one.id} ${one.gone ? "gone" : one.new ? "new" : "changed"}`),
            ...(seen.count > seen.fresh.length ? ["…"] : []),
          ].join("\n"),
        );
        if (seen.fault !== null) throw new Exit(exitCodes.runFailed);
      },
    );
  of("looks", "list the last looks of a poll; --json shows what was sent and what came back").action(
    async (name: string, trigger: string, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const { looks } = await clientOf(globals).call(triggersRoutes.listLooks, { params: { name, trigger } });
      const rows = looks.map(({ at, entries }) => [timeText(at), ...exchangeOf(entries as Json[])]);
      show(globals, looks, () =>
        table([{ times: "AT" }, "REQUEST", { numbers: "STATUS" }], rows, "It has not looked yet."),
      );
    },
  );
  of("forget", "forget what a poll has seen, or the keys of a webhook: what comes again starts runs").action(
    async (name: string, trigger: string, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const forgot = await clientOf(globals).call(triggersRoutes.forgetTrigger, {
        params: { name, trigger },
      });
      show(globals, forgot, () => `Forgot ${forgot.items} items and ${forgot.keys} keys.`);
    },
  );
  of("address", "give a webhook that verifies nothing a new address; it is shown once")
    .option("--overlap <duration>", "how long the older address holds, such as 24h")
    .action(async (name: string, trigger: string, options: { overlap?: string }, command: Command) => {
      const globals = globalsOf(command);
      const made = await clientOf(globals).call(triggersRoutes.replaceAddress, {
        params: { name, trigger },
        body: options.overlap ? { overlap: options.overlap } : {},
      });
      show(globals, made, () => made.address);
    });
  addTriggerEvents(group);
}

/** What the last request of a look was, and what came of it. */
function exchangeOf(entries: readonly Json[]): [string, string] {
  const all = entries.filter(isObject);
  const sent = all.find(({ type }) => type === "begun")?.["data"];
  const request = isObject(sent) && isObject(sent["request"]) ? sent["request"] : {};
  const attempt = all.filter(({ type }) => type === "attempt").at(-1) ?? {};
  const { response, failure } = attempt;
  const came = isObject(response) ? response["status"] : isObject(failure) ? failure["message"] : "";
  return [`${printed(request["method"])} ${printed(request["url"])}`, printed(came)];
}

const printed = (value: Json | undefined): string =>
  value === undefined ? "" : typeof value === "string" ? value : printJson(value);

const rowOf = (one: Trigger): string[] => [
  one.workflow,
  one.name,
  one.on ? "on" : "off",
  one.words,
  one.next[0] ? timeText(one.next[0]) : "",
  one.trouble !== null
    ? colors.red("in trouble")
    : one.last
      ? `${one.last.state}, ${timeText(one.last.at)}`
      : "",
];

function shownLines(one: Trigger): string[] {
  return [
    `${one.workflow} ${one.name}, version ${one.version}: ${one.on ? "on" : "off"}`,
    one.words,
    ...(one.address ? [addressLine(one.address)] : []),
    ...(one.looked ? [lookedLine(one.looked)] : []),
    ...(one.trouble ? [colors.red(one.trouble)] : []),
    ...(one.next.length > 0 ? ["", "Next:", ...one.next.map((at) => `  ${momentText(at)}`)] : []),
    ...(one.last ? ["", `Last event: ${eventLine(one.last)}`] : []),
  ];
}

const addressLine = ({ url, secret }: NonNullable<Trigger["address"]>): string =>
  secret === "none"
    ? url
    : secret === "given"
      ? `${url}/… (the rest was shown once)`
      : `${url}/… (make the rest with: ckettle trigger address)`;

const lookedLine = ({ at, read, heldBack, gone, fault }: NonNullable<Trigger["looked"]>): string =>
  [
    `Looked ${momentText(at)}: ${fault ?? `${read} items`}`,
    ...(heldBack > 0 ? [`held back: ${heldBack}`] : []),
    ...(gone > 0 ? [`gone at once: ${gone}`] : []),
  ].join(", ");
