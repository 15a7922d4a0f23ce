import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";
import { VitePWA } from "vite-plugin-pwa";

export default defineConfig({
  plugins: [
    react(),
    VitePWA({
      injectRegister: false,
      manifestFilename: "app.webmanifest",
      manifest: {
        name: "Diligent Ledger",
        short_name: "Ledger",
        description: "Coolant renewals of a fleet: the round, the books, the due windows.",
        start_url: "/round",
        scope: "/",
        display: "standalone",
        background_color: "#fdfdfa",
        theme_color: "#1f6f66",
        icons: [
          { src: "/icon-192.png", sizes: "192x192", type: "image/png" },
          { src: "/icon-512.png", sizes: "512x512", type: "image/png", purpose: "any" },
          { src: "/icon-512.png", sizes: "512x512", type: "image/png", purpose: "maskable" },
        ],
      },
      workbox: {
        // The core and the fonts, too: the first use without a signal works after one visit.
        globPatterns: ["**/*.{js,css,html,woff2,svg,png,wasm}"],
        maximumFileSizeToCacheInBytes: 12 << 20,
        inlineWorkboxRuntime: true,
        cleanupOutdatedCaches: true,
        navigateFallback: null,
        // A page comes from the server; without an answer the shell that was kept takes its place.
        runtimeCaching: [
          {
            urlPattern: ({ request }) => request.mode === "navigate",
            // First, and never kept: a page that was kept would name the files of an older build.
            handler: "NetworkFirst",
            options: {
              cacheName: "pages",
              networkTimeoutSeconds: 6,
              plugins: [{ cacheWillUpdate: () => Promise.resolve(null) }],
              precacheFallback: { fallbackURL: "/index.html" },
            },
          },
        ],
      },
    }),
  ],
  worker: { format: "es" },
  build: {
    target: "es2022",
    assetsInlineLimit: 0,
    // The server reads in it which files belong to a page, and has the browser fetch them at once.
    manifest: true,
    // Chakra's recipes and themes are values of pure functions: what no page uses is left out.
    rolldownOptions: {
      treeshake: {
        manualPureFunctions: [
          "defineConfig",
          "defineRecipe",
          "defineSlotRecipe",
          "mergeConfigs",
          "createSystem",
          "defineTokens",
          "defineSemanticTokens",
          "defineTextStyles",
          "defineLayerStyles",
          "defineAnimationStyles",
          "defineKeyframes",
        ],
      },
    },
  },
  server: { proxy: { "/api": "http://127.0.0.1:8080" } },
});
