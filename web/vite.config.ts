import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'

export default defineConfig({
  plugins: [react()],
  build: {
    manifest: 'assets.json', // what the service worker keeps
    assetsInlineLimit: 0, // the content policy takes fonts and pictures as files alone
    chunkSizeWarningLimit: 1200,
    rolldownOptions: { input: { app: 'index.html', figure: 'figure.html' } },
  },
  server: { proxy: { '/api': 'http://127.0.0.1:8080' } },
})
