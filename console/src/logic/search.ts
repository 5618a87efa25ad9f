/** Something that has a name and a page. */
export interface Place {
  kind: string;
  name: string;
  title: string;
  to: string;
}

/** The places that have all words of a text in their name or title; those whose name begins with it come first. */
export function found(places: readonly Place[], text: string): Place[] {
  const words = text.trim().toLowerCase().split(/\s+/).filter(Boolean);
  if (words.length === 0) return [];
  const [first] = words as [string];
  return places
    .filter(({ kind, name, title }) => {
      const said = `${kind} ${name} ${title}`.toLowerCase();
      return words.every((word) => said.includes(word));
    })
    .sort((a, b) => rank(a, first) - rank(b, first));
}

function rank({ name, title }: Place, word: string): number {
  if (name.startsWith(word)) return 0;
  return name.includes(word) ? 1 : title.toLowerCase().includes(word) ? 2 : 3;
}
