/** A text that was typed and not saved yet, with the revision that it began from. It survives a reload of this tab. */
export interface Unsaved {
  text: string;
  base: number;
}

const keyOf = (workflow: string): string => `copper-kettle.unsaved.${workflow}`;

export function readUnsaved(workflow: string): Unsaved | undefined {
  try {
    const found = JSON.parse(sessionStorage.getItem(keyOf(workflow)) ?? "null") as Partial<Unsaved> | null;
    if (typeof found?.text === "string" && typeof found.base === "number")
      return { text: found.text, base: found.base };
  } catch {
    // Written by something else: it is of no use.
  }
  return undefined;
}

export function writeUnsaved(workflow: string, unsaved: Unsaved | undefined): void {
  if (unsaved) sessionStorage.setItem(keyOf(workflow), JSON.stringify(unsaved));
  else sessionStorage.removeItem(keyOf(workflow));
}
