import { createHash, createHmac } from "node:crypto";
import type { Express, Request } from "express";
import type { Definition } from "./stand-in.js";

export const tanksToken = "tk-4f12a9";
export const tanksSecret = "ts-9c0d4be81a77";

/** How far a timestamp may be off, in seconds. */
const tolerance = 300;

const usualLevels: Record<string, number> = { corrie: 74, dunmoor: 12, eyrie: 29, juniper: 55 };

/** Water tanks with level sensors. Each request is signed; a stale timestamp or a used nonce is refused. */
export function tanks(): Definition {
  let nonces = new Set<string>();
  /** A level of null is a sensor that does not answer. */
  const settings = { levels: { ...usualLevels } as Record<string, number | null> };

  const fault = (request: Request): string | undefined => {
    const missing = ["X-Token", "X-Time", "X-Nonce", "X-Signature"].find(
      (name) => request.get(name) === undefined,
    );
    if (missing) return `The header ${missing} is missing.`;
    const [token, time, nonce, signature] = ["X-Token", "X-Time", "X-Nonce", "X-Signature"].map(
      (name) => request.get(name) as string,
    ) as [string, string, string, string];
    if (token !== tanksToken) return "This token is not known.";
    if (Math.abs(Date.now() / 1000 - Number(time)) > tolerance) return "The timestamp is stale.";
    if (nonces.has(nonce)) return "This nonce was used before.";
    const body = request.body === undefined ? "" : JSON.stringify(request.body);
    const digest = createHash("sha256").update(body).digest("base64");
    const base = [request.method, request.path, time, nonce, digest].join("\n");
    if (createHmac("sha256", tanksSecret).update(base).digest("base64") !== signature)
      return "The signature does not match the request.";
    nonces.add(nonce);
    return undefined;
  };

  return {
    name: "tanks",
    settings,
    reset: () => {
      nonces = new Set();
      settings.levels = { ...usualLevels };
    },
    routes(app: Express) {
      app.use((request, response, next) => {
        const message = fault(request);
        if (message) response.status(401).json({ error: "unauthorized", message });
        else next();
      });
      app.get(
        "/tanks",
        (_request, response) =>
          void response.json({
            items: Object.entries(settings.levels).map(([hut, level]) => ({ hut, level: level ?? 0 })),
          }),
      );
      app.get("/tanks/:hut", (request, response) => {
        const level = settings.levels[request.params.hut];
        if (level === null)
          return void response
            .status(502)
            .json({ error: "no-sensor", message: `The sensor of ${request.params.hut} does not answer.` });
        if (level === undefined)
          response.status(404).json({ error: "no-such-tank", message: `${request.params.hut} has no tank.` });
        else response.json({ hut: request.params.hut, current: { level, unit: "percent" } });
      });
      app.put("/tanks/:hut/threshold", (request, response) => {
        const { percent } = (request.body ?? {}) as { percent?: number };
        if (typeof percent !== "number")
          return void response
            .status(422)
            .json({ error: "invalid", field: "percent", message: "percent is a number." });
        response.json({ hut: request.params.hut, percent });
      });
    },
  };
}
