import { svelte } from "@sveltejs/vite-plugin-svelte";
import tailwindcss from "@tailwindcss/vite";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [tailwindcss(), svelte()],
  build: {
    target: "es2022",
    // The page's policy allows no data: addresses, so nothing may be inlined as one.
    assetsInlineLimit: 0,
    modulePreload: { polyfill: false },
    rolldownOptions: { checks: { pluginTimings: false } },
    chunkSizeWarningLimit: 1500,
  },
  worker: { format: "es" },
});
