import { routes } from "@copper-kettle/contract";
import { chromium, type Browser, type Locator, type Page } from "playwright-core";
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

/** Whether a person sees something: nothing hides its middle. A click would first bring it into sight. */
export const inSight = (what: Locator): Promise<boolean> =>
  what.evaluate((element) => {
    const { x, y, width, height } = element.getBoundingClientRect();
    return element.contains(document.elementFromPoint(x + width / 2, y + height / 2));
  });

/** In the page: the tables of which a part can neither be seen nor scrolled to, by their first words. */
export const cutTables = (): string[] =>
  [...document.querySelectorAll("main table")]
    .filter((table) => {
      for (let around = table.parentElement; around; around = around.parentElement) {
        const { overflowX } = getComputedStyle(around);
        const { right } = around.getBoundingClientRect();
        if (overflowX !== "visible" && table.getBoundingClientRect().right > right + 1)
          return overflowX === "hidden";
      }
      return false;
    })
    .map((table) => table.textContent.slice(0, 40));

/** Chooses from a list as a person does: who clicked while the list was still opening clicks again. */
export async function choose(page: Page, list: string, option: string): Promise<void> {
  await page.getByRole("combobox", { name: list }).press("Enter");
  const item = page.getByRole("option", { name: option });
  for (let tries = 1; ; tries++) {
    await item.click();
    const closed = await item.waitFor({ state: "hidden", timeout: 3_000 }).then(
      () => true,
      () => false,
    );
    if (closed) return;
    if (tries === 5) throw new Error(`The list "${list}" stays open, however often ${option} is clicked.`);
  }
}
