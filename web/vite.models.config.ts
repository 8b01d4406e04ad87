import { defineConfig } from "vite";

// Builds what of the console is neither drawn nor asked for into one script, for its tests.
export default defineConfig({
  logLevel: "error",
  build: {
    lib: {
      entry: "test/models.ts",
      formats: ["iife"],
      name: "models",
      fileName: () => "models.js",
    },
  },
});
