import type { Express, Request } from "express";
import type { Definition } from "./stand-in.js";

export const trailsKey = "tr-5c1e08/ab+9d=2f";

/** What is asked for is wrong; `field` says where. */
interface Fault {
  field: string;
  message: string;
}

/** The state of a stretch on a day, and a forecast of its snow; the key is in the query string. */
export function trails(): Definition {
  return {
    name: "trails",
    reset: () => undefined,
    routes(app: Express) {
      app.use((request, response, next) => {
        const key = request.query["api_key"];
        if (key === trailsKey) return next();
        const message =
          key === undefined ? "The query parameter api_key is missing." : "This key is not known.";
        response.status(401).json({ error: "unauthorized", message });
      });
      app.get("/conditions", (request, response) => {
        const asked = stretchAndDay(request);
        if ("message" in asked) return void response.status(422).json({ error: "invalid", ...asked });
        const snow = snowOf(asked);
        response.json({ ...asked, open: snow < 40, snowDepth: snow, wind: (snow * 7) % 23 });
      });
      app.get("/forecast", (request, response) => {
        const asked = stretchAndDay(request);
        if ("message" in asked) return void response.status(422).json({ error: "invalid", ...asked });
        response.json({ snowDepth: snowOf(asked) });
      });
    },
  };
}

/** A stretch and a day that lies in the future. */
function stretchAndDay({ query }: Request): { stretch: string; day: string } | Fault {
  const { stretch, day } = query;
  if (typeof stretch !== "string" || !/^[a-z-]+$/.test(stretch))
    return { field: "stretch", message: "stretch is needed, such as corrie-eyrie." };
  if (typeof day !== "string" || !/^\d{4}-\d{2}-\d{2}$/.test(day) || Number.isNaN(Date.parse(day)))
    return { field: "day", message: "day is needed, as in 2027-03-01." };
  if (Date.parse(day) <= Date.now()) return { field: "day", message: "day must lie in the future." };
  return { stretch, day };
}

/** Centimetres of snow: the same for the same stretch and day. */
function snowOf({ stretch, day }: { stretch: string; day: string }): number {
  return (stretch.length * 5 + Number(day.slice(8)) * 3) % 90;
}
