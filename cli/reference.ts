import type { Command, Option } from "commander";
import { buildProgram } from "./program.js";

/** The page docs/cli.md, made from the commands themselves. */
export async function cliPage(): Promise<string> {
  const program = await buildProgram();
  return [
    "# ckettle",
    "",
    "<!-- Made by `npm run reference` from the commands themselves. -->",
    "",
    "Run `node cli/bin/ckettle.cjs`, or `ckettle` if the package is linked. The command finds a service by `--url` and",
    "`--token`, by `COPPER_KETTLE_URL` and `COPPER_KETTLE_TOKEN`, or in the data folder (`--data`, `COPPER_KETTLE_DATA`)",
    "of a service on this machine. Data goes to standard output, everything else to standard error. `--json` prints JSON",
    "with every command. A `file` may be `-` for standard input.",
    "",
    "| exit code | meaning |",
    "|---:|---|",
    "| 0 | done |",
    "| 1 | the run failed, was stopped, or is unsure; a credential was not accepted; a call is not a success |",
    "| 2 | wrong use, or the service refused the request |",
    "| 3 | the service is unreachable |",
    "| 4 | not allowed |",
    "",
    ...program.commands.flatMap((command) => sections(command, ["ckettle"], 2)),
  ].join("\n");
}

function sections(command: Command, above: string[], level: number): string[] {
  const path = [...above, command.name()];
  const heading = "#".repeat(level);
  const inner = command.commands.flatMap((one) => sections(one, path, level + 1));
  if (inner.length > 0)
    return [`${heading} ${command.name()}`, "", sentence(command.description()), "", ...inner];
  const args = command.registeredArguments.map((one) =>
    one.required ? `<${one.name()}>` : `[${one.name()}]`,
  );
  const options = command.options.filter(({ hidden }) => !hidden);
  return [
    `${heading} ${path.slice(1).join(" ")}`,
    "",
    `    ${[...path, ...(options.length > 0 ? ["[options]"] : []), ...args].join(" ")}`,
    "",
    sentence(command.description()),
    "",
    ...(options.length > 0 ? ["| option | |", "|---|---|", ...options.map(row), ""] : []),
  ];
}

const row = ({ flags, description }: Option): string =>
  `| \`${flags}\` | ${description.replaceAll("|", "\\|")} |`;

function sentence(text: string): string {
  return `${text.charAt(0).toUpperCase()}${text.slice(1)}.`;
}
