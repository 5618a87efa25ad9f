import type { Express } from "express";
import type { Definition } from "./stand-in.js";

const huts = ["corrie", "eyrie", "juniper", "kestrel"];
const animals = ["chamois", "marmot", "golden eagle", "ibex", "ptarmigan"];

/** One sighting report at each call, another each time and of no regular shape; a page for people unless JSON is asked for. */
export function cairn(): Definition {
  let count = 0;
  return {
    name: "cairn",
    reset: () => {
      count = 0;
    },
    routes(app: Express) {
      app.get("/sighting{.json}", (request, response) => {
        count++;
        const report = {
          id: `r-${count}`,
          hut: huts[count % huts.length],
          animal: animals[(count * 3) % animals.length],
          ...(count % 2 === 0 ? { count: (count % 7) + 1 } : {}),
          ...(count % 5 === 0 ? { seenBy: { name: "Tobias", from: null } } : {}),
        };
        const asked = request.path.endsWith(".json") || request.accepts(["html", "json"]) === "json";
        if (asked) response.json(report);
        else response.type("html").send(`<h1>${report.animal}</h1><p>Near ${report.hut}.</p>`);
      });
    },
  };
}
