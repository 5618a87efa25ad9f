import {
  driftRoutes,
  operationsRoutes,
  samplesRoutes,
  triesRoutes,
  type Understood,
} from "@copper-kettle/contract";
import type { Command } from "commander";
import { clientOf, Exit, exitCodes, globalsOf } from "../context.js";
import { brief, say, show, timeText } from "../output.js";
import { table } from "../table.js";
import { readText } from "../read-text.js";

interface FromCurlOptions {
  id?: string;
  title?: string;
  credential?: string;
  placeholder: string[];
  show?: boolean;
}

/** Commands that make operations of what is there already: pasted requests, inline calls, responses. */
export function addApiBuilding(group: Command): void {
  group
    .command("from-curl")
    .description(
      "add an operation from a curl command, a raw HTTP request, a HAR entry, a fetch(…) call or an address; creates the API if there is none",
    )
    .argument("<name>", "the API")
    .argument("[file]", "a file, or - for standard input", "-")
    .option("--id <id>", "the operation's id; default: derived from its path")
    .option("--title <text>", "as people call it")
    .option("--credential <name>", "save the key that is found in it as this credential")
    .option(
      "--placeholder <index=name>",
      "a part of the path, counted from 0, that is a parameter; repeat it for more; for none: --placeholder none",
      (value: string, before: string[]) => [...before, value],
      [],
    )
    .option("--show", "only show how the request is read")
    .action(async (name: string, file: string, options: FromCurlOptions, command: Command) => {
      const globals = globalsOf(command);
      const client = clientOf(globals);
      const text = readText(file);
      if (options.show) {
        const sample = await client.call(triesRoutes.readPasted, { body: { text } });
        return show(globals, sample, () => understoodText(sample));
      }
      const made = await client.call(operationsRoutes.addOperation, {
        params: { name },
        body: {
          text,
          ...(options.id ? { id: options.id } : {}),
          ...(options.title ? { title: options.title } : {}),
          ...(options.credential ? { credential: options.credential } : {}),
          ...(options.placeholder.length > 0 ? { placeholders: placeholders(options.placeholder) } : {}),
        },
      });
      for (const note of made.notes) say(`  ${note}`);
      if (made.credential) say(`  Its key is saved as the credential "${made.credential}".`);
      show(globals, made, () => `${name}.${made.id}  (revision ${made.api.revision})`);
    });
  group
    .command("rename-operation")
    .description("give an operation another id, also in the drafts that call it")
    .argument("<operation>", "such as boards.createPost")
    .argument("<to>", "its new id")
    .action(async (operation: string, to: string, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const params = operationOf(operation);
      const renamed = await clientOf(globals).call(operationsRoutes.renameOperation, {
        params,
        body: { to },
      });
      show(globals, renamed, () =>
        [
          `${operation} is ${params.name}.${to} now.`,
          ...(renamed.changed.length > 0 ? [`Drafts that call it so: ${renamed.changed.join(", ")}.`] : []),
          ...renamed.left.map(
            ({ workflow, reason }) => `${workflow} still calls it by its old id: ${reason}`,
          ),
          "Published versions still find it by its old id.",
        ].join("\n"),
      );
    });
  group
    .command("choices")
    .description(
      "list the choices of a parameter or field that another operation gives; calls that operation",
    )
    .argument("<operation>", "such as boards.createPost")
    .argument("<parameter>")
    .action(async (operation: string, of: string, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const params = operationOf(operation);
      const { choices } = await clientOf(globals).call(triesRoutes.choices, { params, query: { of } });
      const rows = choices.map(({ value, label }) => [brief(value), label]);
      show(globals, choices, () => table(["VALUE", "LABEL"], rows, "There are none."));
    });
  group
    .command("remove-operation")
    .description("remove an operation from its API")
    .argument("<operation>", "such as boards.createPost")
    .option("--yes", "even if workflows call it")
    .action(async (operation: string, options: { yes?: boolean }, command: Command) => {
      await clientOf(globalsOf(command)).call(operationsRoutes.removeOperation, {
        params: operationOf(operation),
        query: { anyway: options.yes ? "true" : "false" },
      });
      say(`Removed ${operation}.`);
    });
  group
    .command("adopt")
    .description("turn a step's own request into an operation of an API, and call that instead")
    .argument("<workflow>")
    .argument("<step>")
    .requiredOption("--api <name>", "the API; it is created if there is none")
    .option("--id <id>", "the operation's id; default: derived from its path")
    .action(async (name: string, step: string, options: { api: string; id?: string }, command: Command) => {
      const globals = globalsOf(command);
      const adopted = await clientOf(globals).call(operationsRoutes.adoptStep, {
        params: { name },
        body: { step, ...options },
      });
      for (const note of adopted.notes) say(`  ${note}`);
      show(
        globals,
        adopted,
        () => `${name}: the step ${step} now calls ${adopted.operation}. Publish the draft when it is ready.`,
      );
    });
  group
    .command("samples")
    .description("list the samples of an operation")
    .argument("<operation>", "such as stays.searchGuests")
    .action(async (text: string, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const { samples } = await clientOf(globals).call(samplesRoutes.listSamples, {
        params: operationOf(text),
      });
      const rows = samples.map((one) => [
        one.name,
        String(one.status),
        timeText(one.at),
        one.by,
        brief(one.body, 60),
      ]);
      show(globals, samples, () =>
        table(["SAMPLE", { numbers: "STATUS" }, { times: "KEPT" }, "BY", "BODY"], rows, "No samples yet."),
      );
    });
  group
    .command("drift")
    .description("where real responses do not match the schemas of the documents")
    .argument("[name]", "one API; default: all")
    .option("--forget", "clear the list of this API; what still differs is noted again")
    .action(async (name: string | undefined, options: { forget?: boolean }, command: Command) => {
      const globals = globalsOf(command);
      const client = clientOf(globals);
      if (options.forget) {
        if (name === undefined)
          throw new Exit(exitCodes.wrongUse, "Which API? Name it: ckettle api drift NAME --forget");
        const { forgotten } = await client.call(driftRoutes.forgetDrift, { params: { name }, body: {} });
        return say(`${forgotten} forgotten.`);
      }
      const { drift } = await client.call(
        driftRoutes.listDrift,
        name === undefined ? { query: {} } : { query: { api: name } },
      );
      const rows = drift.map((one) => [
        one.operation,
        String(one.status),
        one.path || "the body",
        one.what,
        one.detail,
        String(one.count),
        timeText(one.firstAt),
        timeText(one.lastAt),
      ]);
      show(globals, drift, () =>
        table(
          [
            "OPERATION",
            "STATUS",
            "PLACE",
            "WHAT",
            "DETAIL",
            { numbers: "TIMES" },
            { times: "FIRST" },
            { times: "LAST" },
          ],
          rows,
          "No response does not match its schema.",
        ),
      );
    });
}

function operationOf(text: string): { name: string; id: string } {
  const [name = "", ...rest] = text.split(".");
  return { name, id: rest.join(".") };
}

function placeholders(list: string[]): Record<string, string> {
  if (list.length === 1 && list[0] === "none") return {};
  return Object.fromEntries(
    list.map((text) => {
      const match = /^(\d+)=(.+)$/.exec(text);
      if (!match)
        throw new Exit(exitCodes.wrongUse, `A placeholder is place=name, such as 1=id; this is "${text}".`);
      return [match[1] as string, match[2] as string];
    }),
  );
}

function understoodText(sample: Understood): string {
  const { form, method, server, path, variable, query, headers, body, secret, notes } = sample;
  const parts = path.split("/").slice(1);
  const rows: [string, string][] = [
    ["read as", form],
    ["method", method],
    ["server", server],
    ["path", path],
    ...variable.map(({ index, name }): [string, string] => [
      `  part ${index}`,
      `${parts[index]} → {${name}}`,
    ]),
    ...Object.entries(query).map(([name, value]): [string, string] => [`query ${name}`, brief(value)]),
    ...Object.entries(headers).map(([name, value]): [string, string] => [`header ${name}`, brief(value)]),
    ...(body
      ? ([["body", `${body.kind}  ${body.text ? brief(body.text) : brief(body.fields)}`]] as [
          string,
          string,
        ][])
      : []),
    ...(secret ? ([["key", secret.shown]] as [string, string][]) : []),
    ...notes.map((note): [string, string] => ["note", note]),
  ];
  return table(["", ""], rows, "");
}
