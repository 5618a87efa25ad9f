import type { Express } from "express";
import { bearer, type Definition } from "./stand-in.js";

export const noticesKey = "nk-notices-5b90aa1e7c";

interface Turn {
  question: string;
  answer: string;
}

/** Drafts short notices and replies from a prompt. Slow at times; of several drafts the first is the best. */
export function notices(): Definition {
  const settings = { latencyMillis: 30 };

  return {
    name: "notices",
    settings,
    reset: () => (settings.latencyMillis = 30),
    routes(app: Express) {
      app.use(bearer(() => noticesKey));
      app.get("/styles", (_request, response) => void response.json({ items: ["plain", "kind", "short"] }));
      app.post("/drafts", (request, response) => {
        const { prompt, turns = [] } = (request.body ?? {}) as { prompt?: unknown; turns?: Turn[] };
        if (typeof prompt !== "string" || prompt.trim() === "")
          return void response
            .status(422)
            .json({ error: "invalid", field: "prompt", message: "A draft needs a prompt." });
        const before = turns.at(-1);
        const first = before
          ? `As said about "${before.question}": and as to "${prompt}", ask the warden at the desk.`
          : `As to "${prompt}": the warden knows, and is at the desk from 7 to 9.`;
        setTimeout(
          () => response.json({ drafts: [{ text: first }, { text: "Please ask at the desk." }] }),
          settings.latencyMillis,
        );
      });
    },
  };
}
