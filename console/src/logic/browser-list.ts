/** A list that this browser keeps for a person, under a key; what another program left there does not count. */
export function readList<T>(key: string, isItem: (one: unknown) => one is T): T[] {
  try {
    const found: unknown = JSON.parse(localStorage.getItem(key) ?? "[]");
    return Array.isArray(found) ? found.filter(isItem).slice(0, most) : [];
  } catch {
    return [];
  }
}
const most = 100;

/** Keeps a list in the place of the one that is there; an empty one leaves nothing. */
export function writeList(key: string, list: readonly unknown[]): void {
  if (list.length === 0) localStorage.removeItem(key);
  else localStorage.setItem(key, JSON.stringify(list));
}
