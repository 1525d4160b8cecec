import react from '@vitejs/plugin-react'
import { defineConfig } from 'vite'
import { VitePWA } from 'vite-plugin-pwa'

export default defineConfig({
  plugins: [
    react(),
    // The log opens where the server is not reached: the pages are kept, and what
    // they were last told is answered when the network does not answer.
    VitePWA({
      manifest: false,
      injectRegister: null, // main.tsx registers it
      workbox: {
        globPatterns: ['**/*.{js,css,html,svg,woff2}'],
        skipWaiting: true,
        clientsClaim: true,
        navigateFallback: '/index.html',
        navigateFallbackDenylist: [/^\/(api|metrics|healthz|debug)/, /\.\w+$/],
        runtimeCaching: [
          {
            urlPattern: ({ url, sameOrigin }) =>
              sameOrigin && url.search === '' && /^\/api\/(state|today|sessions(\/[^/]+)?)$/.test(url.pathname),
            handler: 'NetworkFirst',
            options: { cacheName: 'neokinema data' },
          },
        ],
      },
    }),
  ],
  build: {
    assetsInlineLimit: 0, // the content policy takes fonts and pictures as files alone
    chunkSizeWarningLimit: 1200,
    rolldownOptions: { input: { app: 'index.html', figure: 'figure.html' } },
  },
  server: { proxy: { '/api': 'http://127.0.0.1:8080' } },
})
