import { defineConfig } from "vite";

/** One classic script without a global, carried in the service's binary as /kivet.js. */
export default defineConfig({
  build: {
    target: "es2022",
    modulePreload: false,
    lib: { entry: "src/main.ts", formats: ["iife"], name: "kivet", fileName: () => "kivet.js" },
  },
});
