import type { Express } from "express";
import type { Definition } from "./stand-in.js";

/** The desk's page: a program of somebody else, in a browser, that calls a workflow and waits for its response. */
export function desk(): Definition {
  const settings: { webhook: string | null } = { webhook: null };
  return {
    name: "desk",
    settings,
    reset: () => undefined,
    routes(app: Express) {
      app.get("/", (_request, response) => void response.type("html").send(page(settings.webhook ?? "")));
    },
  };
}

const page = (webhook: string): string => `<!doctype html>
<html lang="en">
<meta charset="utf-8">
<title>Larkspur Huts: who is on?</title>
<style>
  body { font: 16px/1.5 sans-serif; margin: 2rem auto; max-width: 36rem; }
  input, button { font: inherit; padding: .3rem .6rem; }
</style>
<h1>Who is on?</h1>
<form>
  <label>Name <input name="name" required autofocus></label>
  <button>Ask</button>
</form>
<p role="status"></p>
<ul></ul>
<script>
  const status = document.querySelector("[role=status]");
  const list = document.querySelector("ul");
  document.querySelector("form").addEventListener("submit", async (event) => {
    event.preventDefault();
    status.textContent = "Asking …";
    list.replaceChildren();
    const body = JSON.stringify({ name: new FormData(event.target).get("name") });
    try {
      const response = await fetch(${JSON.stringify(webhook)}, {
        method: "POST",
        headers: { "Content-Type": "application/json" },
        body,
      });
      const said = await response.json();
      status.textContent = response.ok ? said.sentence : said.detail ?? said.title;
      for (const { name, hut } of said.people ?? []) {
        const line = document.createElement("li");
        line.textContent = name + ", " + hut;
        list.append(line);
      }
    } catch {
      status.textContent = "The service does not answer.";
    }
  });
</script>
`;
