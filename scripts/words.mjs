import ts from "typescript";
import { execFileSync } from "node:child_process";
import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { parse as parseTemplate } from "vue-eslint-parser";
import { root, say } from "./lib/prepare.mjs";

// npm run words: writes every text that a person may read into one page, by file: screens, commands, messages, the API.
const sources = ["console/src", "cli", "contract", "service", "core"];
const isText = (text) =>
  /[a-z]{2,}.* .*[a-z]{2,}/i.test(text) && !/^(SELECT|INSERT|UPDATE|DELETE|CREATE|ALTER|PRAGMA) /.test(text);

/** The texts of a script, each with its line. */
function inScript(text, file, firstLine = 0) {
  const tree = ts.createSourceFile(file, text, ts.ScriptTarget.Latest, true, ts.ScriptKind.TS);
  const found = [];
  const take = (node, words) => {
    if (!isText(words)) return;
    found.push({ line: tree.getLineAndCharacterOfPosition(node.getStart()).line + 1 + firstLine, words });
  };
  const visit = (node) => {
    if (ts.isImportDeclaration(node) || ts.isExportDeclaration(node)) return;
    if (ts.isStringLiteral(node) || ts.isNoSubstitutionTemplateLiteral(node)) take(node, node.text);
    else if (ts.isTemplateExpression(node)) {
      const parts = node.templateSpans.map((span) => `{${span.expression.getText()}}${span.literal.text}`);
      take(node, node.head.text + parts.join(""));
    }
    ts.forEachChild(node, visit);
  };
  visit(tree);
  return found;
}

/** The texts of a component: those of its script, of its template, and of its attributes. */
function inComponent(text, file) {
  const found = [];
  const script = /<script[^>]*>([\s\S]*?)<\/script>/.exec(text);
  if (script) found.push(...inScript(script[1], file, text.slice(0, script.index).split("\n").length - 1));
  const { templateBody } = parseTemplate(text, { parser: false, ecmaVersion: 2024, sourceType: "module" });
  const shown = (node) => text.slice(node.range[0], node.range[1]).replace(/\s+/g, " ").trim();
  const inline = new Set(["VText", "VExpressionContainer"]);
  const visit = (node) => {
    if (node.type === "VElement") {
      for (const { key, value } of node.startTag.attributes) {
        if (
          value &&
          /[a-z]{3}/i.test(shown(value)) &&
          /^(label|title|hint|placeholder|text|empty|aria-label|subtitle)$/.test(
            key.name?.name ?? key.argument?.name ?? key.name,
          )
        )
          found.push({ line: value.loc.start.line, words: shown(value).replace(/^"|"$/g, "") });
      }
      const words = node.children
        .filter((one) => inline.has(one.type))
        .map(shown)
        .join(" ")
        .trim();
      if (node.children.some((one) => one.type === "VText" && /[a-z]{2}/i.test(one.value)))
        found.push({ line: node.loc.start.line, words });
      node.children.forEach(visit);
    }
  };
  if (templateBody) templateBody.children.forEach(visit);
  return found.sort((a, b) => a.line - b.line);
}

const files = execFileSync("git", ["ls-files", ...sources], { cwd: root, encoding: "utf8" })
  .split("\n")
  .filter((file) => /\.(ts|vue)$/.test(file) && !/\.test\.|\.kit\.|conformance|migrations\//.test(file));
let count = 0;
const page = files.flatMap((file) => {
  const text = readFileSync(join(root, file), "utf8");
  const found = file.endsWith(".vue") ? inComponent(text, file) : inScript(text, file);
  count += found.length;
  return found.length === 0
    ? []
    : ["", `## ${file}`, "", ...found.map(({ line, words }) => `${line}: ${words.replace(/\n/g, " ⏎ ")}`)];
});
writeFileSync(join(root, "words.md"), ["# Every text that a person may read", ...page, ""].join("\n"));
say(`${count} texts of ${files.length} files are in words.md.`);
