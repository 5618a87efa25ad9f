import type { Express } from "express";
import { bearer, type Definition } from "./stand-in.js";

export const passesKey = "pk-passes-0d7c2f5be1";

interface Pass {
  id: string;
  club: string;
  limits: { nights: number };
}

const clubs = ["Ridge Walkers", "Lakeside Club", "Snow Hares"];
/** This pass has no usage yet, and says 404; real lists have one like it. */
export const passWithoutUsage = "ps-31";
/** This one is locked by its club, and cannot be changed. */
export const lockedPass = "ps-4";

/** 84 passes, of which 19 may be used for more than twelve nights. */
function madeAnew(): Pass[] {
  return Array.from({ length: 84 }, (_, index) => ({
    id: `ps-${index + 1}`,
    club: clubs[index % clubs.length] as string,
    limits: { nights: index % 4 === 3 && index < 76 ? 13 + (index % 20) : 3 + (index % 10) },
  }));
}

/** Season passes sold through partner clubs: all of them by page, the usage of one, and its limits. */
export function passes(): Definition {
  let all = madeAnew();

  return {
    name: "passes",
    reset: () => (all = madeAnew()),
    routes(app: Express) {
      app.use(bearer(() => passesKey));
      app.get("/passes", (request, response) => {
        const [page, size] = [Number(request.query["page"] ?? 1), Number(request.query["size"] ?? 20)];
        response.json({ items: all.slice((page - 1) * size, page * size), total: all.length });
      });
      const find = (id: string): Pass | undefined => all.find((pass) => pass.id === id);
      app.get("/passes/:id/usage", (request, response) => {
        const pass = find(request.params.id);
        if (!pass || pass.id === passWithoutUsage)
          return void response
            .status(404)
            .json({ error: "no-usage", message: `There is no usage of ${request.params.id}.` });
        const number = Number(pass.id.slice(3));
        response.json({ pass: pass.id, nights: number % 9, visits: (number * 5) % 23 });
      });
      app.put("/passes/:id/limits", (request, response) => {
        const pass = find(request.params.id);
        const { nights } = (request.body ?? {}) as { nights?: unknown };
        if (!pass)
          return void response
            .status(404)
            .json({ error: "no-such-pass", message: `There is no pass ${request.params.id}.` });
        if (pass.id === lockedPass)
          return void response
            .status(423)
            .json({ error: "locked", message: `${pass.id} is locked by its club.` });
        if (typeof nights !== "number" || !Number.isInteger(nights) || nights < 0)
          return void response
            .status(422)
            .json({ error: "invalid", field: "nights", message: "nights is a whole number from 0 on." });
        pass.limits = { nights };
        response.json(pass);
      });
    },
  };
}
