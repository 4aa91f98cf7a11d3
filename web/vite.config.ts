/// <reference types="vitest/config" />
import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: {
    outDir: "dist",
    assetsInlineLimit: 0,
    chunkSizeWarningLimit: 900,
    // What is named ahead and does not come is not asked for again by some browsers: what a part needs comes with it.
    modulePreload: false,
  },
  // Threads: a process for each file was seen not to start on a busy machine.
  test: { pool: "threads" },
  // The host stays as the browser said it, so that Django believes the origin of what is sent.
  server: { proxy: { "/api": { target: process.env.KESTOV_AT ?? "http://127.0.0.1:8700", changeOrigin: false } } },
});
