import { fileURLToPath } from 'node:url'
import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'

export default defineConfig({
  plugins: [react()],
  resolve: {
    alias: { 'turnvex-client': fileURLToPath(new URL('../clients/typescript/src/index.ts', import.meta.url)) },
  },
  build: { outDir: '../internal/node/api/console', emptyOutDir: false, chunkSizeWarningLimit: 900 },
  server: { proxy: { '/v1': { target: 'http://127.0.0.1:7420', ws: true } } },
})
