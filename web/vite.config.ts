import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

const SERVER = "http://127.0.0.1:8400";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  server: { proxy: { "/api": SERVER, "/pictures": SERVER } },
  build: { chunkSizeWarningLimit: 900 },
});
