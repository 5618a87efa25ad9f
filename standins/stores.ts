import type { Express } from "express";
import type { Definition } from "./stand-in.js";

export const storesOffice = "hut-office-01";
export const storesKey = "st-77ab90c1f3e2";

const items = [
  { tag: "T-100", name: "Stove", hut: "corrie", servicedOn: "2026-05-04" },
  { tag: "T-101", name: "Radio", hut: "eyrie", servicedOn: null },
  { tag: "T-102", name: "Blankets", hut: "juniper" },
];

/** What is in each hut, by tag number. Two keys in two headers; some fields are null or absent. */
export function stores(): Definition {
  return {
    name: "stores",
    reset: () => undefined,
    routes(app: Express) {
      app.use((request, response, next) => {
        const missing = ["X-Store-Office", "X-Store-Key"].find((name) => request.get(name) === undefined);
        const wrong =
          request.get("X-Store-Office") !== storesOffice || request.get("X-Store-Key") !== storesKey;
        if (!missing && !wrong) return next();
        const message = missing
          ? `The header ${missing} is missing.`
          : "This pair of id and key is not known.";
        response.status(401).json({ error: "unauthorized", message });
      });
      app.get("/items/:tag", (request, response) => {
        const item = items.find((one) => one.tag === request.params.tag);
        if (!item)
          return void response
            .status(404)
            .json({ error: "no-such-item", message: `There is no item ${request.params.tag}.` });
        if (!request.accepts("json")) {
          return void response
            .type("application/xml")
            .send(`<item tag="${item.tag}"><name>${item.name}</name><hut>${item.hut}</hut></item>`);
        }
        response.json(item);
      });
    },
  };
}
