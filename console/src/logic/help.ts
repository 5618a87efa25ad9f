/** A page of the documentation, as the build makes it. */
export interface HelpText {
  title: string;
  sections: { id: string; title: string; text: string }[];
  html: string;
}

const files = import.meta.glob<{ default: HelpText }>([
  "../../../docs/*.md",
  // For those who carry on the work.
  "!../../../docs/architecture.md",
  "!../../../docs/benchmarks.md",
]);

/** The pages in the order in which people need them, each with what it is about. */
export const helpPages: readonly { name: string; title: string; about: string }[] = [
  { name: "words", title: "Words", about: "what each word on these pages means" },
  { name: "editor", title: "The editor", about: "building a workflow on its page, and its keys" },
  { name: "workflow-file", title: "The workflow file", about: "every kind of step, and every key" },
  { name: "expressions", title: "Expressions", about: "the language between ${ and }, and its functions" },
  { name: "triggers", title: "Triggers", about: "schedules, webhooks and polls" },
  { name: "runs", title: "Testing and repairing runs", about: "tests, rehearsals, decisions, running again" },
  { name: "apis", title: "APIs", about: "describing them, trying calls, samples, drift, rate limits" },
  { name: "credentials", title: "Credentials", about: "each kind, signing in, and what goes wrong" },
  { name: "service", title: "The service", about: "settings, backups, metrics, logs" },
  { name: "limits", title: "Limits", about: "every bound, and what happens at it" },
  { name: "retention", title: "Retention", about: "how long what is stored" },
  { name: "cli", title: "The command line", about: "every command" },
];

/** Reads a page; undefined if there is none of that name. */
export async function readHelp(name: string): Promise<HelpText | undefined> {
  if (!helpPages.some((page) => page.name === name)) return undefined;
  return (await files[`../../../docs/${name}.md`]?.())?.default;
}

export interface HelpFound {
  page: string;
  id: string;
  title: string;
  /** The words around the place. */
  around: string;
}

/** The sections that hold all of some words: first those that have them in their title. */
export async function searchHelp(text: string): Promise<HelpFound[]> {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  if (words.length === 0) return [];
  const pages = await Promise.all(
    helpPages.map(async ({ name, title }) => ({ name, title, text: await readHelp(name) })),
  );
  const found = pages.flatMap(({ name, title, text: page }) =>
    (page?.sections ?? []).flatMap((section) => {
      const heading = section.title.toLowerCase();
      const all = `${heading} ${section.text.toLowerCase()}`;
      if (!words.every((word) => all.includes(word))) return [];
      const at = Math.max(0, section.text.toLowerCase().indexOf(words[0] ?? "") - 40);
      return [
        {
          inTitle: words.every((word) => heading.includes(word)),
          found: {
            page: name,
            id: section.id,
            title: `${title} › ${section.title}`,
            around: `${at > 0 ? "…" : ""}${section.text.slice(at, at + 120).trim()}…`,
          },
        },
      ];
    }),
  );
  return [...found.filter(({ inTitle }) => inTitle), ...found.filter(({ inTitle }) => !inTitle)]
    .slice(0, 30)
    .map(({ found: one }) => one);
}
