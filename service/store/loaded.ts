/** A store once it has read what it keeps in memory. */
export async function loaded<T extends { loadAll: () => Promise<unknown> }>(store: T): Promise<T> {
  await store.loadAll();
  return store;
}
