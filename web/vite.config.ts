import react from "@vitejs/plugin-react"
import { defineConfig } from "vite"

export default defineConfig({
  plugins: [react()],
  build: { chunkSizeWarningLimit: 1500, assetsInlineLimit: 0 },
  server: {
    host: "127.0.0.1",
    port: 5173,
    proxy: {
      "/api": (globalThis as { process?: { env: Record<string, string | undefined> } }).process?.env.RHOMBOS_API ?? "http://127.0.0.1:8080",
    },
  },
})
