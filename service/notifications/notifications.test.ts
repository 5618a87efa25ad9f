import { createServer, type IncomingHttpHeaders, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { Webhook, WebhookVerificationError } from "standardwebhooks";
import { afterAll, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { addressRule } from "../outbound/guard.js";
import { HttpTransport } from "../outbound/transport.js";
import { deliverByMail, deliverByWebhook, newWebhookSecret } from "./channels.js";
import { credentialMessage, runMessage, tryMessage } from "./messages.js";

const house = "http://kettle.huts.example";

describe("a message about something that needs a person", () => {
  const told = { run: "r1", workflow: "hut-round", message: "POST … answered 403.", step: "post" };

  it.each([
    ["failed", "copper-kettle.run.failed", /hut-round: a run failed/, /A run of hut-round failed\./],
    [
      "unsure",
      "copper-kettle.run.unsure",
      /a run is unsure/,
      /we cannot tell whether a call was carried out/,
    ],
    ["parked", "copper-kettle.run.parked", /a run is parked/, /parked until somebody resumes it/],
    ["skipped", "copper-kettle.run.skipped", /a run did not happen/, /did not happen\./],
  ] as const)("of a run that is %s", (state, type, title, text) => {
    const message = runMessage({ ...told, state }, house);
    expect(message).toMatchObject({ type, subject: "hut-round" });
    expect(message.title).toMatch(title);
    expect(message.text).toMatch(text);
    expect(message.text).toContain("Step post. POST … answered 403.");
    const toDo = {
      failed: "run again r1 --from post",
      unsure: "run decide r1",
      parked: "run resume r1",
      skipped: "events",
    };
    expect(message.text).toContain(toDo[state]);
    expect(message.text).toContain(`${house}/runs/r1`);
    expect(message.data).toEqual({ ...told, state, url: `${house}/runs/r1` });
  });

  it("of a credential leads to its page; each has an id of its own", () => {
    const messages = [0, 1].map(() =>
      credentialMessage("boards-marit", "sign-in", "Marit has to sign in.", house),
    );
    expect(messages[0]).toMatchObject({ type: "copper-kettle.credential.failing", subject: "boards-marit" });
    expect(messages[0]?.text).toContain(`${house}/credentials/boards-marit`);
    expect(messages[0]?.id).not.toBe(messages[1]?.id);
  });
});

describe("a delivery to a webhook", () => {
  let server: Server;
  let url: string;
  let status = 204;
  const arrived: { headers: IncomingHttpHeaders; body: string }[] = [];
  const transport = new HttpTransport({
    rule: addressRule(["127.0.0.1"]),
    longestResponse: 1_000_000,
    userAgent: "test",
  });
  beforeAll(async () => {
    server = createServer((request, response) => {
      let body = "";
      request.on("data", (piece: Buffer) => (body += piece.toString()));
      request.on("end", () => {
        arrived.push({ headers: request.headers, body });
        response.writeHead(status).end();
      });
    });
    await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
    url = `http://127.0.0.1:${(server.address() as AddressInfo).port}/told`;
  });
  beforeEach(() => {
    arrived.length = 0;
    status = 204;
  });
  afterAll(async () => {
    await transport.close();
    server.close();
  });
  const message = runMessage(
    { run: "r1", workflow: "hut-round", state: "failed", message: null, step: null },
    house,
  );

  it("is a CloudEvent that the receiver can verify with its secret, and with no other", async () => {
    const secret = newWebhookSecret();
    await deliverByWebhook(transport, { url, secret }, message, house);
    const [{ headers, body } = { headers: {}, body: "" }] = arrived;
    expect(headers["content-type"]).toBe("application/cloudevents+json");
    expect(new Webhook(secret).verify(body, headers as Record<string, string>)).toMatchObject({
      specversion: "1.0",
      id: message.id,
      source: house,
      type: "copper-kettle.run.failed",
      subject: "hut-round",
      datacontenttype: "application/json",
      data: { run: "r1", state: "failed", title: message.title },
    });
    const verify = (text: string, key: string) => () =>
      new Webhook(key).verify(text, headers as Record<string, string>);
    expect(verify(body.replace("r1", "r2"), secret)).toThrow(WebhookVerificationError);
    expect(verify(body, newWebhookSecret())).toThrow(WebhookVerificationError);
  });

  it("keeps its id when it is made again, so that the receiver knows it", async () => {
    const secret = newWebhookSecret();
    for (let count = 0; count < 2; count++)
      await deliverByWebhook(transport, { url, secret }, message, house);
    expect(new Set(arrived.map(({ headers }) => headers["webhook-id"]))).toEqual(new Set([message.id]));
  });

  it.each([301, 400, 410, 500])("has failed where the receiver answers %i", async (answer) => {
    status = answer;
    const sent = deliverByWebhook(transport, { url, secret: newWebhookSecret() }, message, house);
    await expect(sent).rejects.toThrow(`answered ${answer}`);
  });

  it("has failed where nobody is there, by webhook and by mail", async () => {
    const secret = newWebhookSecret();
    const gone = "http://127.0.0.1:9/none";
    await expect(deliverByWebhook(transport, { url: gone, secret }, message, house)).rejects.toThrow(
      /Nothing accepts connections/,
    );
    const mail = { host: "127.0.0.1", port: 9, tls: "none" as const, from: "a@huts.example", to: [] };
    await expect(deliverByMail(mail, ["marit@huts.example"], tryMessage(house))).rejects.toThrow(
      /ECONNREFUSED/,
    );
  });
});
