import { createStore, del, get, set } from "idb-keyval";

/**
 * A text that was typed and is not saved yet, with the revision that it began from. It survives a reload, a crash of the
 * browser, and a sign-in in another tab.
 */
export interface Kept {
  text: string;
  base: number;
  at: number;
}

// Opened when first needed: without a database the text is only in the page.
let opened: ReturnType<typeof createStore> | undefined;
const store = (): ReturnType<typeof createStore> => (opened ??= createStore("copper-kettle", "drafts"));

export async function readKept(workflow: string): Promise<Kept | undefined> {
  try {
    const found: Partial<Kept> | undefined = await get(workflow, store());
    if (typeof found?.text === "string" && typeof found.base === "number")
      return { text: found.text, base: found.base, at: found.at ?? 0 };
  } catch {
    // No database here, or one of another program: it is of no use.
  }
  return undefined;
}

export async function writeKept(workflow: string, kept: Kept | undefined): Promise<void> {
  try {
    await (kept ? set(workflow, kept, store()) : del(workflow, store()));
  } catch {
    // The text is still in the page, and is saved in a second.
  }
}
