/** What is wrong with a name that is being typed, in a sentence; undefined while it is empty or right. */
export function faultOfName(name: string): string | undefined {
  const typed = name.trim();
  if (typed === "" || /^[a-z0-9](?:[a-z0-9-]{0,62}[a-z0-9])?$/.test(typed)) return undefined;
  if (typed.length > 64) return "At most 64 characters.";
  if (/[A-Z]/.test(typed)) return `No capital letters: ${proposedName(typed)}`;
  return `Only a-z, 0-9 and dashes, none at its ends: ${proposedName(typed)}`;
}

/** A name made from any words. */
export function proposedName(words: string, most = 64): string {
  const made = words
    .normalize("NFKD")
    .replace(/[\u0300-\u036f]/g, "")
    .replace(/([a-z0-9])([A-Z])/g, "$1-$2")
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .slice(0, most)
    .replace(/^-+|-+$/g, "");
  return made === "" ? "new" : made;
}
