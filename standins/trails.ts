import type { Express } from "express";
import type { Definition } from "./stand-in.js";

export const trailsKey = "tr-5c1e08/ab+9d=2f";

/** Trail conditions for a stretch; the key is in the query string. */
export function trails(): Definition {
  return {
    name: "trails",
    reset: () => undefined,
    routes(app: Express) {
      app.get("/conditions", (request, response) => {
        const key = request.query["access_key"];
        if (key !== trailsKey) {
          const message =
            key === undefined ? "The query parameter access_key is missing." : "This key is not known.";
          return void response.status(401).json({ error: "unauthorized", message });
        }
        const { from, to } = request.query;
        if (typeof from !== "string" || typeof to !== "string") {
          return void response.status(422).json({
            error: "invalid",
            field: typeof from === "string" ? "to" : "from",
            message: "from and to are needed.",
          });
        }
        response.json({
          from,
          to,
          state: (from.length + to.length) % 3 === 0 ? "icy" : "open",
          length: `${(from.length * 1.3).toFixed(1)} km`,
        });
      });
    },
  };
}
