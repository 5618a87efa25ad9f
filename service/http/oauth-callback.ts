import type { Express } from "express";
import type { Context } from "./context.js";

/** The path of the redirect URI; what stands before it is the installation's address. */
export const callbackPath = "/oauth/callback";

/**
 * Where the browser comes back to from a sign-in (RFC 6749 section 4.1.2). Open: what it brings is worth something only
 * with the state of a sign-in that was begun here, once.
 */
export function serveCallback(app: Express, { signIns, auth }: Context): void {
  app.get(callbackPath, async (request, response) => {
    const brought = new URL(request.originalUrl, "http://localhost").searchParams;
    const { name, ok, sentence } = await signIns.finish(brought);
    response.set("Cache-Control", "no-store").set("Referrer-Policy", "no-referrer");
    if (name !== undefined && auth.hasSession(request)) {
      const query = new URLSearchParams({ [ok ? "done" : "failed"]: sentence });
      response.redirect(303, `/credentials/${name}?${query.toString()}`);
      return;
    }
    response
      .status(ok ? 200 : 400)
      .set("Content-Security-Policy", "default-src 'none'")
      .type("html")
      .send(page(ok ? "Signed in" : "Not signed in", sentence));
  });
}

function page(title: string, sentence: string): string {
  return `<!doctype html><html lang="en"><meta charset="utf-8"><title>${title} – Copper Kettle</title><h1>${title}</h1><p>${escaped(sentence)}</p><p>You can close this page.</p></html>`;
}

function escaped(text: string): string {
  return text.replace(/[&<>"']/g, (character) => `&#${character.charCodeAt(0)};`);
}
