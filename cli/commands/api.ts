import {
  apisRoutes,
  operationsRoutes,
  type ApiChange,
  type ApiDetail,
  type OperationDetail,
} from "@copper-kettle/contract";
import { printJson, schemaFields, type Json } from "@copper-kettle/core";
import type { Command } from "commander";
import colors from "../colors.js";
import { clientOf, Exit, exitCodes, globalsOf } from "../context.js";
import { counted, momentText, say, show } from "../output.js";
import { table } from "../table.js";
import { addApiBuilding } from "./api-build.js";
import { addApiNetwork } from "./network.js";
import { readText } from "../read-text.js";

interface GivenOptions {
  server?: string;
  using?: string;
  rules?: boolean;
}

/** A document as it is given on the command line: a file, `-`, or an address. */
function given(source: string, options: GivenOptions) {
  return {
    ...(/^https?:\/\//.test(source) ? { url: source } : { text: readText(source) }),
    ...(options.server ? { server: options.server } : {}),
    ...(options.using ? { credential: options.using } : {}),
    ...(options.rules ? { rules: true } : {}),
  };
}

export function addApi(program: Command): void {
  const group = program
    .command("api")
    .description(
      "described APIs: add, from-curl, list, show, operations, samples, drift, diff, adopt, rename-operation, remove-operation, network, export, remove",
    );
  addApiBuilding(group);
  addApiNetwork(group);
  group
    .command("add")
    .description(
      "add an API by its OpenAPI document (3.0, 3.1, 3.2 or Swagger 2.0; JSON or YAML); a newer document shows its changes first, and is imported with --yes",
    )
    .argument("<name>")
    .argument("<document>", "a file, - for standard input, or an address")
    .option("--server <url>", "the address that calls go to; replaces the servers of the document")
    .option("--using <credential>", "the credential for its calls, if a step names none")
    .option("--rules", "take the rules of a fetched document, too: effects, pages, what counts as success")
    .option("--yes", "import it, whatever it changes")
    .action(
      async (name: string, source: string, options: GivenOptions & { yes?: boolean }, command: Command) => {
        const globals = globalsOf(command);
        const client = clientOf(globals);
        const body = given(source, options);
        const preview = await client.call(apisRoutes.previewApi, { params: { name }, body });
        if (preview.changes.length > 0 && !options.yes) {
          show(globals, preview, () => changesText(preview.changes));
          throw new Exit(
            exitCodes.wrongUse,
            `Nothing changed yet. Run the command again with --yes to import the new document.`,
          );
        }
        const kept = await client.call(apisRoutes.putApi, { params: { name }, body });
        for (const note of kept.notes) say(`  ${note}`);
        if (kept.api.credential === null)
          for (const line of credentialHints(name, kept.api)) say(`  ${line}`);
        show(
          globals,
          kept.api,
          () =>
            `${name}: revision ${kept.api.revision}, ${counted(kept.operations, "operation")} of ${kept.title} (${kept.written})`,
        );
      },
    );
  group
    .command("diff")
    .description("show what a document would change; nothing is saved")
    .argument("<name>")
    .argument("<document>", "a file, - for standard input, or an address")
    .action(async (name: string, source: string, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const preview = await clientOf(globals).call(apisRoutes.previewApi, {
        params: { name },
        body: given(source, {}),
      });
      show(globals, preview.changes, () => changesText(preview.changes) || "No changes.");
    });
  group
    .command("list")
    .description("list the APIs")
    .action(async (_options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const { apis } = await clientOf(globals).call(apisRoutes.listApis);
      const rows = apis.map((api) => [
        api.name,
        api.title,
        String(api.operations),
        api.server ?? "",
        api.credential ?? "",
        api.usedBy.join(", "),
      ]);
      show(globals, apis, () =>
        table(
          ["API", "TITLE", { numbers: "OPERATIONS" }, "SERVER", "USING", "USED BY"],
          rows,
          "No APIs yet.",
        ),
      );
    });
  group
    .command("show")
    .description("show one API, or one of its operations")
    .argument("<name>", "stays, or stays.searchGuests")
    .action(async (text: string, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const client = clientOf(globals);
      const [name = "", ...rest] = text.split(".");
      if (rest.length === 0) {
        const api = await client.call(apisRoutes.api, { params: { name } });
        return show(globals, api, () => apiText(api));
      }
      const operation = await client.call(operationsRoutes.operation, {
        params: { name, id: rest.join(".") },
      });
      show(globals, operation, () => operationText(name, operation));
    });
  group
    .command("operations")
    .description("list the operations of an API")
    .argument("<name>")
    .option("--search <words>", "only operations that contain all these words")
    .action(async (name: string, options: { search?: string }, command: Command) => {
      const globals = globalsOf(command);
      const query = options.search ? { search: options.search } : {};
      const { operations } = await clientOf(globals).call(operationsRoutes.listOperations, {
        params: { name },
        query,
      });
      const rows = operations.map(({ id, method, path, title, effect }) => [id, method, path, effect, title]);
      show(globals, operations, () =>
        table(["OPERATION", "METHOD", "PATH", "EFFECT", "WHAT"], rows, "No operations found."),
      );
    });
  group
    .command("export")
    .description("print the document of an API as OpenAPI 3.1 in YAML (with --json in JSON)")
    .argument("<name>")
    .option("--revision <number>", "an earlier one")
    .action(async (name: string, options: { revision?: string }, command: Command) => {
      const globals = globalsOf(command);
      const query = options.revision ? { revision: Number(options.revision) } : {};
      const document = await clientOf(globals).call(apisRoutes.apiDocument, { params: { name }, query });
      const { stringify } = await import("yaml");
      show(globals, document, () => stringify(JSON.parse(printJson(document))));
    });
  group
    .command("remove")
    .description("remove an API; runs still use the revisions that they began with")
    .argument("<name>")
    .action(async (name: string, _options: unknown, command: Command) => {
      await clientOf(globalsOf(command)).call(apisRoutes.removeApi, { params: { name } });
      say(`Removed ${name}.`);
    });
}

const marks = { added: "+", removed: "-", altered: "~" } as const;

function changesText(changes: ApiChange[]): string {
  return changes
    .map(({ id, method, path, what, details, usedBy }) => {
      const users = usedBy.length > 0 ? colors.yellow(`  (used by ${usedBy.join(", ")})`) : "";
      const lines = details.map((detail) => `    ${detail}`);
      return [`${marks[what]} ${id}  ${method} ${path}${users}`, ...lines].join("\n");
    })
    .join("\n");
}

/** How the document says that calls authenticate, with the command that makes such a credential. */
function credentialHints(name: string, { security, servers }: ApiDetail): string[] {
  const host = servers[0] === undefined ? "" : ` --host ${new URL(servers[0]).host}`;
  return security.flatMap(({ kind, says, place, oauth }) => {
    if (kind === null) return [`Calls authenticate by ${says}.`];
    const more = place
      ? ` --part "${place.place}:${place.name}${place.prefix ? `:${place.prefix}` : ""}"`
      : oauth
        ? ` --grant ${oauth.grant}${oauth.tokenUrl ? ` --token-url ${oauth.tokenUrl}` : ""}`
        : "";
    return [
      `Calls authenticate by ${kind} (${says}): ckettle credential add ${name}-key --kind ${kind}${more}${host}`,
    ];
  });
}

function apiText(api: ApiDetail): string {
  const rows: [string, string][] = [
    ["title", `${api.title} ${api.version}`],
    ["servers", api.servers.join("\n") || "none"],
    ["credential", api.credential ?? "none"],
    ...(api.security.length > 0
      ? ([
          ["authenticates by", api.security.map(({ kind, says }) => `${kind ?? "–"}: ${says}`).join("\n")],
        ] as [string, string][])
      : []),
    ["operations", String(api.operations)],
    ["used by", api.usedBy.join(", ") || "no workflow"],
    [
      "revisions",
      api.revisions
        .map((one) =>
          `${one.revision}  ${momentText(one.at)}  ${one.by}  ${one.written}  ${one.source ?? ""}`.trimEnd(),
        )
        .join("\n"),
    ],
    ...(api.notes.length > 0 ? ([["notes", api.notes.join("\n")]] as [string, string][]) : []),
  ];
  return table([api.name, ""], rows, "");
}

/** What a body holds, as a table of fields; nothing where its schema names none. */
function fieldsText(of: string, schema: Json | undefined): string[] {
  const rows = schemaFields(schema).map(({ name, depth, kind, required, note }) => [
    `${"  ".repeat(depth)}${name}`,
    kind,
    required ? "required" : "",
    note.length > 80 ? `${note.slice(0, 79)}…` : note,
  ]);
  return rows.length === 0 ? [] : [`\n${colors.bold(of)}`, table(["FIELD", "TYPE", "", "NOTE"], rows, "")];
}

function operationText(api: string, operation: OperationDetail): string {
  const at = operation.server ? `  at ${operation.server}` : "";
  const head = `${operation.method} ${operation.path}  ${operation.effect}${at}\n${operation.title}`;
  const parameters = operation.parameters.map((parameter) => [
    parameter.name,
    parameter.in,
    [String(parameter.schema["type"] ?? ""), parameter.choices ? parameter.choices.join(" | ") : ""]
      .filter(Boolean)
      .join(": "),
    parameter.fixed !== undefined ? "fixed" : parameter.required ? "required" : "",
    parameter.default === undefined ? "" : printJson(parameter.default),
    parameter.about ?? (parameter.title === parameter.name ? "" : parameter.title),
  ]);
  const body = operation.body
    ? `\nBody: ${operation.body.content.map(({ type }) => type).join(", ")}${operation.body.required ? ", required" : ""}`
    : "";
  const fields = (operation.body?.content ?? []).flatMap(({ type, schema }) =>
    fieldsText(`Body, ${type}`, schema),
  );
  const answers = operation.responses.map(({ status, about }) => [status, about]);
  const answered = operation.responses.flatMap(({ status, content }) =>
    content.flatMap(({ type, schema }) => fieldsText(`${status}, ${type}`, schema)),
  );
  return [
    head,
    ...(parameters.length > 0
      ? [table(["PARAMETER", "IN", "TYPE", "", "DEFAULT", "ABOUT"], parameters, "")]
      : []),
    body,
    ...fields,
    `\n${table(["RESPONSE", "WHAT"], answers, "")}`,
    ...answered,
    operation.usedBy.length > 0 ? `\nUsed by ${operation.usedBy.join(", ")}` : "",
    `\nIn a workflow:  operation: ${api}.${operation.id}`,
  ]
    .filter(Boolean)
    .join("\n");
}
