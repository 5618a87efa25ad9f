import js from "@eslint/js";
import vue from "eslint-plugin-vue";
import tseslint from "typescript-eslint";
import vueParser from "vue-eslint-parser";

const floors = { core: [], contract: ["core"] };
for (const upper of ["service", "cli", "console", "standins"]) floors[upper] = ["core", "contract"];
floors.standins = [];

/** Folders of core/, lowest first: each imports only those above it in this list. */
const coreOrder = [
  "values",
  "expressions",
  "shapes",
  "http",
  "apis",
  "credentials",
  "triggers",
  "workflows",
  "engine",
];

/** The floor borders of docs/architecture.md, as import rules: one entry a folder. */
function borders() {
  const all = Object.keys(floors);
  const rules = [];
  for (const [folder, allowed] of Object.entries(floors)) {
    const forbidden = all.filter((other) => other !== folder && !allowed.includes(other));
    const patterns = [
      {
        group: forbidden.flatMap((other) => [`@copper-kettle/${other}`, `@copper-kettle/${other}/*`]),
        message: `${folder}/ may import only: ${allowed.join(", ") || "nothing of ours"}.`,
      },
      { regex: `^(\\.\\./)+(${all.join("|")})/`, message: "Import another folder by its package name." },
    ];
    if (folder === "core") {
      patterns.push({ regex: "^(node:|sequelize|sqlite3|undici|express|vue)", message: "core/ is pure." });
    }
    rules.push({
      files: [`${folder}/**/*.ts`, `${folder}/**/*.vue`],
      ignores: ["**/*.test.ts"],
      rules: { "no-restricted-imports": ["error", { patterns }] },
    });
  }
  coreOrder.forEach((folder, index) => {
    const later = coreOrder.slice(index + 1);
    if (later.length === 0) return;
    rules.push({
      files: [`core/${folder}/**/*.ts`],
      ignores: ["**/*.test.ts"],
      rules: {
        "no-restricted-imports": [
          "error",
          {
            patterns: [
              { regex: `^(\\.\\./)+(${later.join("|")})/`, message: `core/${folder}/ stands below these.` },
              {
                regex: "^(node:|sequelize|sqlite3|undici|express|vue|@copper-kettle)",
                message: "core/ is pure.",
              },
            ],
          },
        ],
      },
    });
  });
  return rules;
}

export default tseslint.config(
  { ignores: ["**/dist/**", "**/node_modules/**", "coverage/**"] },
  js.configs.recommended,
  ...tseslint.configs.recommended,
  ...vue.configs["flat/recommended"],
  {
    files: ["**/*.vue"],
    languageOptions: { parser: vueParser, parserOptions: { parser: tseslint.parser } },
    rules: {
      "vue/valid-v-slot": ["error", { allowModifiers: true }],
      "vue/html-quotes": ["error", "double", { avoidEscape: true }],
      "vue/max-attributes-per-line": "off",
      "vue/singleline-html-element-content-newline": "off",
      "vue/html-self-closing": "off",
      "vue/html-indent": "off",
      "vue/html-closing-bracket-newline": "off",
      "vue/first-attribute-linebreak": "off",
      "vue/multiline-html-element-content-newline": "off",
    },
  },
  {
    rules: {
      "max-lines": ["error", { max: 350, skipBlankLines: true }],
      eqeqeq: "error",
      "no-undef": "off",
      "@typescript-eslint/no-unused-vars": ["error", { argsIgnorePattern: "^_", varsIgnorePattern: "^_" }],
      "@typescript-eslint/consistent-type-imports": "error",
    },
  },
  ...borders(),
);
