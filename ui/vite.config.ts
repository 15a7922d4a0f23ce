import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [react()],
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
