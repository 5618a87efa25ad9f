import { defineConfig } from "vite";

// The commands as a few files: most of what one command takes is reading and compiling code that it does not need.
export default defineConfig({
  logLevel: "warn",
  ssr: { noExternal: true },
  build: {
    ssr: "main.ts",
    outDir: "dist/bundle",
    target: "node20",
    minify: true,
    sourcemap: false,
    rollupOptions: { output: { entryFileNames: "ckettle.js", chunkFileNames: "[name]-[hash].js" } },
  },
});
