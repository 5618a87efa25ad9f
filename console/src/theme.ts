import { createVuetify } from "vuetify";
import { aliases, mdi } from "vuetify/iconsets/mdi-svg";
import "vuetify/styles";

/** Copper on slate: burnished copper, the green that copper turns, paper-white or near-black ground. */
const light = {
  dark: false,
  colors: {
    background: "#f7f5f1",
    surface: "#ffffff",
    "surface-variant": "#e9e5de",
    "on-surface-variant": "#3a3f42",
    primary: "#84563a",
    secondary: "#38675e",
    success: "#2f6b4a",
    error: "#a03530",
    warning: "#80600f",
    info: "#40607a",
  },
};
const dark = {
  dark: true,
  colors: {
    background: "#14181a",
    surface: "#1c2225",
    "surface-variant": "#2a3236",
    "on-surface-variant": "#cfd6d8",
    primary: "#c79270",
    secondary: "#7fb3a8",
    success: "#7cbf97",
    error: "#e2857e",
    warning: "#d3b259",
    info: "#8fb3cf",
  },
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
const field = { density: "compact", variant: "outlined", hideDetails: "auto", persistentHint: true };

export const vuetify = createVuetify({
  theme: { defaultTheme: rememberedTheme(), themes: { light, dark }, cspNonce: cspNonce() },
  icons: { defaultSet: "mdi", aliases, sets: { mdi } },
  defaults: {
    global: { ripple: false },
    VBtn: { variant: "tonal", density: "comfortable", rounded: "sm", class: "text-none" },
    VTextField: field,
    VTextarea: field,
    VSelect: field,
    VCombobox: field,
    VCard: { variant: "flat", rounded: "md", border: true },
    VAlert: { variant: "tonal", density: "compact", rounded: "sm" },
  },
});
