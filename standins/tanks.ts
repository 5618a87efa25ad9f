import { createHash, createHmac } from "node:crypto";
import type { Express, Request } from "express";
import type { Definition } from "./stand-in.js";

export const tanksToken = "tk-4f12a9";
export const tanksSecret = "ts-9c0d4be81a77";

/** How far a timestamp may be off, in seconds. */
const tolerance = 300;

const usualLevels: Record<string, number> = { corrie: 74, dunmoor: 12, eyrie: 29, juniper: 55 };

/**
 * Water tanks with level sensors. Each request is signed; a stale timestamp or a used nonce is refused. All else is
 * answered with the status 200: the code inside says whether it went well.
 */
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
      app.get("/tanks", (_request, response) => {
        const tanks = Object.entries(settings.levels);
        response.json(good({ items: tanks.map(([hut, level]) => ({ hut, level: level ?? 0 })) }));
      });
      app.get("/tanks/:hut", (request, response) => {
        const { hut } = request.params;
        const level = settings.levels[hut];
        if (level === null) response.json(bad(21, `The sensor of ${hut} does not answer.`));
        else if (level === undefined) response.json(bad(11, `${hut} has no tank.`));
        else response.json(good({ hut, latest: { level, unit: "percent" } }));
      });
      app.put("/tanks/:hut/threshold", (request, response) => {
        const { percent } = (request.body ?? {}) as { percent?: number };
        if (typeof percent !== "number") response.json(bad(31, "percent is a number."));
        else response.json(good({ hut: request.params.hut, percent }));
      });
    },
  };
}

/** Any other code is a failure. */
const goodCode = 1;

const good = (body: object): object => ({ code: goodCode, message: "", body });
const bad = (code: number, message: string): object => ({ code, message, body: null });
