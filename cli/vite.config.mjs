import { defineConfig } from "vite";

// The commands as a few files: most of what one command takes is reading and compiling code that it does not need.
// CommonJS, since Node 20 loads it in half the time of the same as ES modules.
export default defineConfig({
  logLevel: "warn",
  ssr: { noExternal: true },
  build: {
    ssr: "main.ts",
    outDir: "dist/bundle",
    target: "node20",
    minify: true,
    sourcemap: false,
    rollupOptions: {
      output: { format: "cjs", entryFileNames: "ckettle.cjs", chunkFileNames: "[name]-[hash].cjs" },
    },
  },
});
