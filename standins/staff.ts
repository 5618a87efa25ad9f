import type { Express } from "express";
import { staffResource, type Identity } from "./identity.js";
import type { Definition } from "./stand-in.js";
import { tokenGuard } from "./token-guard.js";

interface Season {
  id: string;
  hut: string;
  name: string;
  openedAt: number;
  rota: string | null;
  shifts: { id: string; person: string; from: string }[];
}

const people = [
  { id: "p-1", name: "Marit", hut: "corrie" },
  { id: "p-2", name: "Tobias", hut: "eyrie" },
  { id: "p-3", name: "Odd", hut: "corrie" },
  { id: "p-4", name: "Sanna", hut: "dunmoor" },
];

/**
 * The staff directory and its seasons: a season is opened for a hut, then gets its rota, then shifts. For a while after
 * it was opened its rota cannot be added, since a copy of the directory lags behind.
 */
export function staff(identity: Identity): Definition {
  const settings = { lagMillis: 2_000 };
  let seasons: Season[] = [];

  return {
    name: "staff",
    settings,
    reset: () => {
      seasons = [];
      settings.lagMillis = 2_000;
    },
    routes(app: Express) {
      app.use(
        tokenGuard(identity, staffResource, ({ method }) =>
          method === "GET" ? "staff:read" : "staff:write",
        ),
      );
      app.get("/people", (request, response) => {
        const { hut } = request.query;
        response.json({ items: people.filter((person) => hut === undefined || person.hut === hut) });
      });
      app.get("/people/:id", (request, response) => {
        const person = people.find(({ id }) => id === request.params.id);
        if (person) response.json(person);
        else
          response
            .status(404)
            .json({ error: "no-such-person", message: `There is no ${request.params.id}.` });
      });
      app.post("/seasons", (request, response) => {
        const { hut, name } = (request.body ?? {}) as { hut?: unknown; name?: unknown };
        if (typeof hut !== "string" || typeof name !== "string")
          return void response
            .status(422)
            .json({ error: "invalid", message: "A season needs a hut and a name." });
        const season: Season = {
          id: `se-${seasons.length + 1}`,
          hut,
          name,
          openedAt: Date.now(),
          rota: null,
          shifts: [],
        };
        seasons.push(season);
        response.status(201).json(shown(season));
      });
      app.get("/seasons", (_request, response) => void response.json({ items: seasons.map(shown) }));
      app.put("/seasons/:id/rota", (request, response) => {
        const season = seasons.find(({ id }) => id === request.params.id);
        if (!season || Date.now() - season.openedAt < settings.lagMillis)
          return void response.status(404).json({
            error: "no-such-season",
            message: `The season ${request.params.id} is not known here (yet).`,
          });
        season.rota ??= `ro-${season.id}`;
        response.json({ id: season.rota, season: season.id });
      });
      app.post("/seasons/:id/shifts", (request, response) => {
        const season = seasons.find(({ id }) => id === request.params.id);
        const { person, from } = (request.body ?? {}) as { person?: unknown; from?: unknown };
        if (!season?.rota)
          return void response.status(409).json({ error: "no-rota", message: "The season has no rota yet." });
        if (typeof person !== "string" || typeof from !== "string")
          return void response
            .status(422)
            .json({ error: "invalid", message: "A shift needs a person and a day." });
        const shift = { id: `sh-${season.id}-${season.shifts.length + 1}`, person, from };
        season.shifts.push(shift);
        response.status(201).json(shift);
      });
    },
  };
}

function shown({ id, hut, name, rota, shifts }: Season): object {
  return { id, hut, name, rota, shifts };
}
