import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

const server = process.env.VESTPIN_SERVER ?? "http://127.0.0.1:8417";

export default defineConfig({
  plugins: [react()],
  build: { outDir: "../server/dist", emptyOutDir: false, assetsInlineLimit: 0, target: "es2022" },
  server: { proxy: { "/api": { target: server, changeOrigin: true, headers: { origin: server } } } },
});
