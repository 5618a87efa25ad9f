import { routes } from "@copper-kettle/contract";
import { chromium, type Browser, type Page } from "playwright-core";
import type { World } from "./kit.js";

const args = [
  "--no-sandbox",
  "--disable-gpu",
  "--disable-quic",
  "--no-first-run",
  "--disable-background-networking",
  "--disable-component-update",
  "--disable-sync",
];

export function launch(): Promise<Browser> {
  return chromium.launch({ executablePath: "/usr/bin/chromium", args });
}

/** A page that is signed in, with everything that its console complained about. */
export async function signIn(
  browser: Browser,
  world: World,
  size = { width: 1280, height: 800 },
): Promise<{ page: Page; complaints: string[] }> {
  const page = await (await browser.newContext({ viewport: size })).newPage();
  const complaints: string[] = [];
  page.on("console", (message) => {
    if (message.type() === "error" || message.type() === "warning") complaints.push(message.text());
  });
  page.on("pageerror", (error) => complaints.push(error.message));
  const { url } = await world.client.call(routes.signInLink);
  await page.goto(url);
  await page.getByText("Runs over the last day").waitFor();
  return { page, complaints };
}
