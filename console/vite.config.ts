import tailwindcss from "@tailwindcss/vite";
import { svelte } from "@sveltejs/vite-plugin-svelte";
import { defineConfig, type Plugin } from "vite";

// The fonts that every page uses are fetched at once, not when the style sheet
// has been read, so that words do not change their shape under the reader.
const early = /(alegreya-latin-wght-normal|source-sans-3-latin-wght-normal).*\.woff2$/;
const preloadFonts: Plugin = {
  name: "preload-fonts",
  transformIndexHtml: {
    order: "post",
    handler: (_, { bundle }) =>
      Object.keys(bundle ?? {})
        .filter((file) => early.test(file))
        .map((file) => ({
          tag: "link",
          attrs: { rel: "preload", as: "font", type: "font/woff2", crossorigin: "", href: `./${file}` },
          injectTo: "head" as const,
        })),
  },
};

// Addresses are relative, so that the console works wherever the service is
// mounted; the service writes the <base> into the document.
export default defineConfig({
  base: "./",
  plugins: [tailwindcss(), svelte(), preloadFonts],
  build: {
    target: "es2022",
    modulePreload: { polyfill: false },
    reportCompressedSize: false,
    rolldownOptions: { checks: { pluginTimings: false } },
  },
});
