import { marked, Renderer, type Tokens } from "marked";
import type { Plugin } from "vite";

/** The address of a heading, made as code hosts make it, so that links work there and here. */
const idOf = (title: string): string =>
  title
    .toLowerCase()
    .replace(/[^\p{Letter}\p{Number} _-]/gu, "")
    .replaceAll(" ", "-");

/** The words of a piece of markdown, for the search. */
const plainOf = (markdown: string): string =>
  markdown
    .replace(/^```\w*$|^\|[-:| ]+\|$/gm, "")
    .replace(/\[([^\]]*)\]\([^)]*\)/g, "$1")
    .replace(/[`*|]+/g, " ")
    .replace(/\s+/g, " ")
    .trim();

/** A page of the documentation as a module: its title, its sections, and its HTML. */
function pageOf(markdown: string): {
  title: string;
  sections: { id: string; title: string; text: string }[];
  html: string;
} {
  let title = "";
  const sections: { id: string; title: string; text: string }[] = [];
  const renderer = new Renderer();
  renderer.heading = function ({ tokens, depth }: Tokens.Heading) {
    const words = this.parser.parseInline(tokens, this.parser.textRenderer);
    const html = this.parser.parseInline(tokens);
    if (depth === 1) return "";
    return `<h${depth} id="${idOf(words)}">${html}</h${depth}>`;
  };
  renderer.table = function (token: Tokens.Table) {
    const table = Renderer.prototype.table.call(this, token);
    return `<div class="wide-table" tabindex="0">${table.replace("<table>", '<table class="lines">')}</div>`;
  };
  renderer.code = (token: Tokens.Code) =>
    Renderer.prototype.code.call(renderer, token).replace("<pre>", '<pre tabindex="0">');
  renderer.link = function ({ href, tokens }: Tokens.Link) {
    const inner = this.parser.parseInline(tokens);
    const [, page, at = ""] = /^([a-z-]+)\.md(#.*)?$/.exec(href) ?? [];
    if (page) return `<a href="/help/${page}${at}">${inner}</a>`;
    // What stands beside the documentation in the source is not served.
    return /^https?:/.test(href) ? `<a href="${href}" rel="noreferrer">${inner}</a>` : inner;
  };
  for (const token of marked.lexer(markdown)) {
    if (token.type === "heading") {
      const words = String(token.text).replaceAll("`", "");
      if (token.depth === 1) title = words;
      else sections.push({ id: idOf(words), title: words, text: "" });
      continue;
    }
    const section = sections.at(-1);
    if (section) section.text += ` ${plainOf(token.raw)}`;
  }
  return { title, sections, html: marked.parse(markdown, { renderer, async: false }) };
}

/** Turns the documentation's pages into modules when the console is built. */
export function helpPages(): Plugin {
  return {
    name: "help-pages",
    transform(code, id) {
      if (!id.endsWith(".md")) return undefined;
      return { code: `export default ${JSON.stringify(pageOf(code))};`, map: null };
    },
  };
}
