import tailwindcss from "@tailwindcss/vite";
import { svelte } from "@sveltejs/vite-plugin-svelte";
import { defineConfig } from "vite";

// Addresses are relative, so that the console works wherever the service is
// mounted; the service writes the <base> into the document.
export default defineConfig({
  base: "./",
  plugins: [tailwindcss(), svelte()],
  build: { target: "es2022", modulePreload: { polyfill: false }, reportCompressedSize: false, rolldownOptions: { checks: { pluginTimings: false } } },
});
