import react from '@vitejs/plugin-react'
import { defineConfig } from 'vitest/config'

export default defineConfig({
  plugins: [react()],
  build: { outDir: 'dist', emptyOutDir: true, target: 'es2022', assetsInlineLimit: 0, chunkSizeWarningLimit: 900 },
  server: { proxy: { '/api': { target: 'http://127.0.0.1:7461', ws: true } } },
  test: { environment: 'jsdom', include: ['src/**/*.test.{ts,tsx}'], pool: 'vmThreads', maxWorkers: 2, testTimeout: 30_000 },
})
