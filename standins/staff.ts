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

interface Person {
  id: string;
  name: string;
  hut: string;
  mail?: string;
}

/** The people at first; those of the hut juniper fill more than one page. */
const atFirst: readonly Person[] = [
  { id: "p-1", name: "Marit", hut: "corrie" },
  { id: "p-2", name: "Tobias", hut: "eyrie" },
  { id: "p-3", name: "Odd", hut: "corrie" },
  { id: "p-4", name: "Sanna", hut: "dunmoor" },
  { id: "p-5", name: "Piet", hut: "juniper" },
  { id: "p-6", name: "Sanna", hut: "juniper" },
  ...["Ailsa", "Bram", "Cato", "Dag", "Eir"].map((name, at) => ({ id: `p-${at + 7}`, name, hut: "juniper" })),
];

/**
 * The staff directory and its seasons: a season is opened for a hut, then gets its rota, then shifts. For a while after
 * it was opened its rota cannot be added, since a copy of the directory lags behind.
 */
export function staff(identity: Identity): Definition {
  const settings = { lagMillis: 2_000 };
  let seasons: Season[] = [];
  let people = [...atFirst];
  let letters: Record<string, string> = {};

  return {
    name: "staff",
    settings,
    reset: () => {
      seasons = [];
      people = [...atFirst];
      letters = {};
      settings.lagMillis = 2_000;
    },
    routes(app: Express) {
      app.use(
        tokenGuard(identity, staffResource, ({ method }) =>
          method === "GET" ? "staff:read" : "staff:write",
        ),
      );
      app.get("/people", (request, response) => {
        const { hut, name, page } = request.query;
        const size = Number(request.query["size"] ?? 3);
        const found = people.filter(
          (person) =>
            (hut === undefined || person.hut === hut) && (name === undefined || person.name === name),
        );
        const from = (Number(page ?? 1) - 1) * size;
        response.json({ items: found.slice(from, from + size) });
      });
      app.post("/people", (request, response) => {
        const { name, hut, mail } = (request.body ?? {}) as Record<string, unknown>;
        if (typeof name !== "string" || typeof hut !== "string" || typeof mail !== "string")
          return void response
            .status(422)
            .json({ error: "invalid", message: "A person needs a name, a hut and a mail address." });
        const known = people.find((person) => person.mail === mail);
        if (known)
          return void response.status(409).json({ error: "known", message: `${mail} is ${known.id}.` });
        const person: Person = { id: `p-${people.length + 1}`, name, hut, mail };
        people.push(person);
        response.status(201).json(person);
      });
      app.put("/people/:id/letter", (request, response) => {
        const { text } = (request.body ?? {}) as { text?: unknown };
        if (typeof text !== "string" || text.includes("{"))
          return void response
            .status(422)
            .json({ error: "invalid", message: "A letter needs a text in which every place is filled." });
        letters[request.params.id] = text;
        response.status(200).json({ person: request.params.id, text });
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
