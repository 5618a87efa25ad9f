import type { Transport } from "@copper-kettle/core";
import { randomBytes } from "node:crypto";
import { rootCertificates } from "node:tls";
import type { Message } from "./messages.js";

/** Where messages go, with its secrets. */
export interface Ways {
  webhook: { url: string; secret: string } | null;
  mail: {
    host: string;
    port: number;
    tls: "starttls" | "from-the-start" | "none";
    /** In PEM. */
    authorities?: string | undefined;
    user?: string | undefined;
    password?: string | undefined;
    from: string;
    to: string[];
  } | null;
  workflows: { [name: string]: { off?: boolean | undefined; to?: string[] | undefined } };
}

/** How long one delivery may take, in milliseconds. */
const patience = 15_000;

/** A new secret as Standard Webhooks wants it: 32 bytes. */
export function newWebhookSecret(): string {
  return `whsec_${randomBytes(32).toString("base64")}`;
}

/**
 * Delivers a message to a webhook: a CloudEvent in its structured JSON form, signed as Standard Webhooks say. The id
 * stays the same when it is delivered again, so that the receiver knows it.
 * @throws Error where it was not taken
 */
export async function deliverByWebhook(
  transport: Transport,
  { url, secret }: NonNullable<Ways["webhook"]>,
  message: Message,
  source: string,
): Promise<void> {
  const { Webhook } = await import("standardwebhooks"); // the service starts sooner
  const { id, type, time, subject, data, title } = message;
  const body = JSON.stringify({
    specversion: "1.0",
    id,
    source,
    type,
    time,
    subject,
    datacontenttype: "application/json",
    data: { title, ...data },
  });
  const at = new Date();
  const answer = await transport.send(
    {
      method: "POST",
      url,
      headers: [
        ["Content-Type", "application/cloudevents+json"],
        ["webhook-id", id],
        ["webhook-timestamp", String(Math.floor(at.getTime() / 1000))],
        ["webhook-signature", new Webhook(secret).sign(id, at, body)],
      ],
      body,
    },
    {
      timeout: { connect: patience, response: patience },
      signal: new AbortController().signal,
      longestResponse: 65_536,
    },
  );
  if (answer.status < 200 || answer.status > 299) throw new Error(`The webhook answered ${answer.status}.`);
}

/**
 * Delivers a message by mail (SMTP, RFC 5321).
 * @throws Error where the server did not take it
 */
export async function deliverByMail(
  mail: NonNullable<Ways["mail"]>,
  to: string[],
  message: Message,
): Promise<void> {
  const { host, port, tls, authorities, user, password, from } = mail;
  // Loaded with the first mail: the service starts sooner.
  const { createTransport } = await import("nodemailer");
  const transport = createTransport({
    host,
    port,
    secure: tls === "from-the-start",
    requireTLS: tls === "starttls",
    ignoreTLS: tls === "none",
    ...(authorities ? { tls: { ca: [...rootCertificates, authorities] } } : {}),
    connectionTimeout: patience,
    greetingTimeout: patience,
    socketTimeout: patience,
    ...(user === undefined ? {} : { auth: { user, pass: password ?? "" } }),
  });
  try {
    await transport.sendMail({
      from,
      to,
      subject: message.title,
      text: message.text,
      messageId: `<${message.id}@copper-kettle>`,
    });
  } finally {
    transport.close();
  }
}
