import { randomBytes } from "node:crypto";
import type { Express, Request, Response } from "express";

/** The yard of the depot: whoever logs in gets a session, as a key in the body and as a cookie. */
export function yard(user: string, password: string) {
  /** Sessions by their key, and when each ends. */
  let sessions = new Map<string, number>();
  let pallets: { id: string; hut: string }[] = [];
  /** `life`: how long a session lives, in seconds; `endAll`: none of those begun before holds any more. */
  const settings = { life: 3_000, endAll: 0, refuseAs: 401 };
  let ended = 0;

  const begun = (response: Response, status: number): void => {
    // As sessions of old servers are: with signs that an address or a cookie would have encoded.
    const key = `${randomBytes(12).toString("base64")}+/=`;
    sessions.set(key, Date.now() + settings.life * 1_000);
    response
      .status(status)
      .set("Set-Cookie", `sid=${key}; Path=/; HttpOnly`)
      .json({ session: { key }, expiresIn: settings.life });
  };
  const keyOf = (request: Request): string =>
    request.headers["x-session"]?.toString() ?? /\bsid=([^;]+)/.exec(request.headers.cookie ?? "")?.[1] ?? "";
  const holds = (request: Request, response: Response): boolean => {
    if (settings.endAll !== ended) {
      ended = settings.endAll;
      sessions = new Map();
    }
    if ((sessions.get(keyOf(request)) ?? 0) > Date.now()) return true;
    response
      .status(settings.refuseAs)
      .json({ error: "session-ended", message: "There is no such session, or it has ended." });
    return false;
  };

  return {
    settings,
    reset(): void {
      sessions = new Map();
      pallets = [];
      Object.assign(settings, { life: 3_000, endAll: 0, refuseAs: 401 });
      ended = 0;
    },
    routes(app: Express): void {
      app.post("/session", (request, response) => {
        const given = request.body as { user?: unknown; password?: unknown };
        if (given.user === user && given.password === password) return begun(response, 201);
        response
          .status(401)
          .json({ error: "unauthorized", message: `The password of ${String(given.user)} is wrong.` });
      });
      app.post("/session/renew", (request, response) => {
        if (!holds(request, response)) return;
        sessions.delete(keyOf(request));
        begun(response, 200);
      });
      app.get("/pallets", (request, response) => {
        if (holds(request, response)) response.json({ items: pallets });
      });
      app.post("/pallets", (request, response) => {
        if (!holds(request, response)) return;
        const pallet = {
          id: `p-${pallets.length + 1}`,
          hut: String((request.body as { hut?: unknown }).hut),
        };
        pallets.push(pallet);
        response.status(201).json(pallet);
      });
    },
  };
}
