import { createHash, randomBytes } from "node:crypto";
import type { Express, Request, Response } from "express";
import { yard } from "./depot-sessions.js";
import type { Definition } from "./stand-in.js";

export const depotUser = "larkspur";
export const depotPassword = "Sheep & 12 huts";

interface Order {
  number: string;
  hut: string;
  item: string;
  count: number;
}

/** The old supplier: orders as CSV over Basic, stock as XML over Digest, pallets with a session. */
export function depot(): Definition {
  let orders: Order[] = [];
  const sessions = yard(depotUser, depotPassword);
  /** The nonces that were given out, with the counts that were used of each: a proof is taken once. */
  let nonces = new Map<string, Set<string>>();
  const reset = (): void => {
    nonces = new Map();
    sessions.reset();
    orders = Array.from({ length: 7 }, (_, index) => ({
      number: `o-${index + 1}`,
      hut: index % 2 === 0 ? "corrie" : "eyrie",
      item: "blankets",
      count: index + 2,
    }));
  };
  reset();

  const digestFault = (request: Request): string | undefined => {
    const field = request.headers.authorization ?? "";
    const value = (name: string): string => new RegExp(`\\b${name}="?([^",]+)"?`).exec(field)?.[1] ?? "";
    if (!field.startsWith("Digest ")) return "The header Authorization with a Digest is missing.";
    const used = nonces.get(value("nonce"));
    if (used === undefined) return "This nonce is not one of ours.";
    if (used.has(value("nc"))) return "This proof was used before.";
    const algorithm = value("algorithm") === "SHA-256" ? "sha256" : "md5";
    const hash = (text: string): string => createHash(algorithm).update(text).digest("hex");
    const secret = hash(`${depotUser}:depot:${depotPassword}`);
    const right = hash(
      `${secret}:${value("nonce")}:${value("nc")}:${value("cnonce")}:auth:${hash(`${request.method}:${request.originalUrl}`)}`,
    );
    if (right !== value("response")) return "The user or the password is wrong.";
    used.add(value("nc"));
    return undefined;
  };
  const challenge = (response: Response, message: string): void => {
    const nonce = randomBytes(12).toString("base64url");
    nonces.set(nonce, new Set());
    const parts = `realm="depot", qop="auth", nonce="${nonce}", opaque="o1"`;
    response
      .status(401)
      .set("WWW-Authenticate", [`Digest ${parts}, algorithm=SHA-256`, `Digest ${parts}, algorithm=MD5`])
      .json({ error: "unauthorized", message });
  };

  return {
    name: "depot",
    reset,
    settings: sessions.settings,
    routes(app: Express) {
      sessions.routes(app);
      app.get("/orders", (request, response) => {
        const expected = `Basic ${Buffer.from(`${depotUser}:${depotPassword}`).toString("base64")}`;
        if (request.headers.authorization !== expected) {
          const message = request.headers.authorization
            ? "The user or the password is wrong."
            : "The header Authorization is missing.";
          return void response
            .status(401)
            .set("WWW-Authenticate", 'Basic realm="depot", charset="UTF-8"')
            .json({ error: "unauthorized", message });
        }
        const lines = orders.map((order) => [order.number, order.hut, order.item, order.count].join(","));
        response.type("text/csv").send(`number,hut,item,count\n${lines.join("\n")}\n`);
      });
      app.get("/stock", (request, response) => {
        const fault = digestFault(request);
        if (fault) return challenge(response, fault);
        response
          .type("application/xml")
          .send(
            '<?xml version="1.0"?><stock><item name="blankets">40</item><item name="stoves">3</item></stock>',
          );
      });
    },
  };
}
