import vue from "@vitejs/plugin-vue";
import { defineConfig } from "vite";
import vuetify from "vite-plugin-vuetify";
import { helpPages } from "./help-pages.js";

export default defineConfig({
  plugins: [helpPages(), vue(), vuetify({ autoImport: true })],
  build: { target: "es2022", chunkSizeWarningLimit: 1_200, modulePreload: { polyfill: false } },
  server: { proxy: { "/api": "http://127.0.0.1:4100" } },
});
