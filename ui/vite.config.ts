import { readdirSync, readFileSync, statSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { gzipSync } from "node:zlib";
import vue from "@vitejs/plugin-vue";
import { defineConfig, type Plugin } from "vite";
import vuetify from "vite-plugin-vuetify";

// Lays a gzip copy beside each built text file; the server sends it as it is.
function packed(): Plugin {
  const walk = (dir: string): void => {
    for (const name of readdirSync(dir)) {
      const file = join(dir, name);
      if (statSync(file).isDirectory()) walk(file);
      else if (/\.(js|css|html|svg)$/.test(name))
        writeFileSync(file + ".gz", gzipSync(readFileSync(file), { level: 9 }));
    }
  };
  return {
    name: "packed",
    apply: "build",
    closeBundle: () => {
      walk("dist");
      writeFileSync("dist/.keep", "");
    },
  };
}

export default defineConfig({
  plugins: [vue(), vuetify({ autoImport: true }), packed()],
  build: { target: "es2022", emptyOutDir: true, chunkSizeWarningLimit: 900 },
});
