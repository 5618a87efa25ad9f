import { createVuetify } from "vuetify";
import { aliases, mdi } from "vuetify/iconsets/mdi-svg";
import "vuetify/styles";

/** Copper on paper: burnished copper, the green that copper turns, paper-white or near-black ground. */
const light = {
  dark: false,
  colors: {
    background: "#f7f5f1",
    surface: "#ffffff",
    "on-background": "#23282a",
    "on-surface": "#23282a",
    "surface-variant": "#e9e5de",
    "on-surface-variant": "#3a3f42",
    primary: "#84563a",
    "on-primary": "#ffffff",
    secondary: "#38675e",
    success: "#2f6b4a",
    error: "#a03530",
    warning: "#7a5b0c",
    info: "#40607a",
    line: "#e3ded5",
    dim: "#5f6562",
    soft: "#f3ebe4",
  },
};
const dark = {
  dark: true,
  colors: {
    background: "#14181a",
    surface: "#1c2225",
    "on-background": "#e4e8e8",
    "on-surface": "#e4e8e8",
    "surface-variant": "#2a3236",
    "on-surface-variant": "#cfd6d8",
    primary: "#cf9a78",
    "on-primary": "#1c1512",
    secondary: "#7fb3a8",
    success: "#7cbf97",
    "on-success": "#10201a",
    error: "#e2857e",
    "on-error": "#2a0f0d",
    warning: "#d3b259",
    "on-warning": "#241c06",
    info: "#8fb3cf",
    line: "#323b3f",
    dim: "#9aa5a6",
    soft: "#2b2622",
  },
};
/** Borders are lines, words that are less important are dim, and never by being see-through. */
const variables = {
  "border-opacity": 1,
  "medium-emphasis-opacity": 0.82,
};

const key = "copper-kettle.theme";

export type ThemeName = "light" | "dark";

export function rememberedTheme(): ThemeName {
  const saved = localStorage.getItem(key);
  if (saved === "light" || saved === "dark") return saved;
  return matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light";
}

export function rememberTheme(name: ThemeName): void {
  localStorage.setItem(key, name);
}

export function cspNonce(): string {
  return document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.content ?? "";
}

/** Hints stay: one that comes and goes with the focus moves the button away that is just being pressed. */
const field = {
  density: "compact",
  variant: "outlined",
  hideDetails: "auto",
  persistentHint: true,
  persistentPlaceholder: true,
};

export const vuetify = createVuetify({
  theme: {
    defaultTheme: rememberedTheme(),
    themes: {
      light: { ...light, variables: { ...variables, "border-color": "#e3ded5" } },
      dark: { ...dark, variables: { ...variables, "border-color": "#323b3f" } },
    },
    cspNonce: cspNonce(),
  },
  icons: { defaultSet: "mdi", aliases, sets: { mdi } },
  defaults: {
    global: { ripple: false },
    VBtn: { variant: "outlined", density: "comfortable", rounded: "sm", class: "text-none" },
    VTextField: field,
    VTextarea: field,
    VSelect: field,
    VCombobox: field,
    VAutocomplete: field,
    VFileInput: field,
    VDateInput: field,
    VRadio: { color: "primary" },
    VCheckbox: { color: "primary" },
    VCheckboxBtn: { color: "primary" },
    VCard: { variant: "flat", rounded: "md", border: true },
    VAlert: { variant: "tonal", density: "compact", rounded: "sm" },
  },
});
