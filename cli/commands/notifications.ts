import { notificationsRoutes, type Notifications, type NotificationsInput } from "@copper-kettle/contract";
import type { Command } from "commander";
import { clientOf, Exit, exitCodes, globalsOf } from "../context.js";
import { say, show } from "../output.js";
import { collect } from "./options.js";
import { readText } from "../read-text.js";

/** `notifications`: who is notified, and how. */
export function addNotifications(program: Command): void {
  const notifications = program
    .command("notifications")
    .description("who is notified when something needs a person: show, set, try");
  notifications
    .command("show")
    .description("show who is notified, and how")
    .action(async (_options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const ways = await clientOf(globals).call(notificationsRoutes.notifications);
      show(globals, ways, () => notificationsText(ways));
    });
  notifications
    .command("set")
    .description("set who is notified, by webhook and by mail; a mail password is read from standard input")
    .option("--webhook <url>", "send CloudEvents there, signed as Standard Webhooks says; none removes it")
    .option("--smtp <host:port>", "the mail server; none removes it")
    .option("--tls <how>", "starttls, from-the-start or none", "starttls")
    .option(
      "--authority <file>",
      "certificate authorities of the mail server to trust besides the usual ones, in PEM",
    )
    .option("--user <name>", "at the mail server; the password comes from standard input")
    .option("--from <address>", "the sender")
    .option("--to <address>", "a receiver; repeat it for more", collect, [])
    .option("--off <workflow>", "send nothing about this workflow; repeat it for more", collect, [])
    .action(async (options: NotificationsOptions, command: Command) => {
      const globals = globalsOf(command);
      const ways = await clientOf(globals).call(notificationsRoutes.putNotifications, {
        body: await notificationsInput(options),
      });
      show(globals, ways, () => notificationsText(ways));
      if (ways.secret)
        say(
          `Deliveries are signed with ${ways.secret}. Give the secret to the receiver now. It is not shown again.`,
        );
    });
  notifications
    .command("try")
    .description("send a test notification")
    .action(async (_options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const { sent } = await clientOf(globals).call(notificationsRoutes.tryNotifications);
      show(
        globals,
        sent,
        () =>
          sent.map(({ by, fault }) => `${by}: ${fault ?? "delivered"}`).join("\n") ||
          "No webhook and no mail is set.",
      );
      if (sent.some(({ fault }) => fault !== null)) throw new Exit(exitCodes.runFailed);
    });
}

interface NotificationsOptions {
  webhook?: string;
  smtp?: string;
  tls: string;
  authority?: string;
  user?: string;
  from?: string;
  to: string[];
  off: string[];
}

async function notificationsInput(options: NotificationsOptions): Promise<NotificationsInput> {
  const input: Partial<NotificationsInput> = {};
  if (options.webhook) input.webhook = options.webhook === "none" ? null : { url: options.webhook };
  if (options.smtp === "none") input.mail = null;
  else if (options.smtp) {
    const [host = "", port = "587"] = options.smtp.split(":");
    const password = options.user ? { user: options.user, password: (await standardInput()).trim() } : {};
    const from = options.from ?? "copper-kettle@localhost";
    input.mail = {
      host,
      port: Number(port),
      tls: options.tls as "starttls",
      from,
      to: options.to,
      ...(options.authority ? { authorities: readText(options.authority) } : {}),
      ...password,
    };
  }
  if (options.off.length > 0)
    input.workflows = Object.fromEntries(options.off.map((name) => [name, { off: true }]));
  return input as NotificationsInput;
}

async function standardInput(): Promise<string> {
  let text = "";
  for await (const piece of process.stdin) text += String(piece);
  return text;
}

function notificationsText({ webhook, mail, workflows, waiting, lastFault }: Notifications): string {
  const off = Object.entries(workflows).flatMap(([name, { off: quiet }]) => (quiet ? [name] : []));
  return [
    `webhook  ${webhook?.url ?? "none"}`,
    `mail     ${mail ? `${mail.to.join(", ")} by ${mail.host}:${mail.port}` : "none"}`,
    ...(off.length > 0 ? [`off      ${off.join(", ")}`] : []),
    ...(waiting > 0 ? [`${waiting} notifications could not be delivered yet: ${lastFault ?? ""}`] : []),
  ].join("\n");
}
