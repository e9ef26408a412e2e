import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  base: "/static/",
  plugins: [react(), tailwindcss()],
  build: { manifest: true, target: "es2022", assetsInlineLimit: 0 },
  resolve: { alias: { "@": new URL("./src", import.meta.url).pathname } },
});
