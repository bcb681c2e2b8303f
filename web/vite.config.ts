import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

// Fonts stay files of their own: the content policy allows none that are inlined.
export default defineConfig({
  plugins: [react()],
  build: { assetsInlineLimit: 0, target: "es2022", modulePreload: { polyfill: false } },
});
