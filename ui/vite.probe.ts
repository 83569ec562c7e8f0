import { defineConfig } from "vite";

// What the interface works out by itself, as one script for tests to call: built apart from the
// interface and not embedded.
export default defineConfig({
  publicDir: false,
  define: { "process.env.NODE_ENV": '"production"' },
  build: {
    target: "es2022",
    outDir: "probe",
    emptyOutDir: true,
    minify: false,
    lib: { entry: "src/probe.ts", formats: ["es"], fileName: "probe" },
  },
});
