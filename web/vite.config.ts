import tailwindcss from '@tailwindcss/vite';
import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';
import { VitePWA } from 'vite-plugin-pwa';
import { precompressed } from './precompressed';
import { version } from './package.json';

/** Without cross-origin isolation the browser rounds time to 0.1 ms. */
const isolation = {
  'Cross-Origin-Opener-Policy': 'same-origin',
  'Cross-Origin-Embedder-Policy': 'require-corp',
};

export default defineConfig({
  define: { __APP_VERSION__: JSON.stringify(version) },
  plugins: [
    react(),
    tailwindcss(),
    precompressed(),
    VitePWA({
      // A newer version waits until the musician asks for it.
      registerType: 'prompt',
      injectRegister: null,
      includeAssets: ['icon.svg'],
      manifest: {
        name: 'Metronomo',
        short_name: 'Metronomo',
        description: 'Keeps every device in a studio in time: MIDI clock and timecode, measured and aligned.',
        id: '/',
        start_url: '/run',
        display: 'standalone',
        background_color: '#f7f4ec',
        theme_color: '#f7f4ec',
        icons: [
          { src: '/icon-192.png', sizes: '192x192', type: 'image/png' },
          { src: '/icon-512.png', sizes: '512x512', type: 'image/png' },
          { src: '/icon-maskable.png', sizes: '512x512', type: 'image/png', purpose: 'maskable' },
        ],
      },
      workbox: {
        globPatterns: ['**/*.{js,css,html,svg,png,woff2}'],
        globIgnores: ['remote.html', 'assets/remote-*'],
        navigateFallback: '/index.html',
        navigateFallbackDenylist: [/^\/api\//, /^\/remote/],
        maximumFileSizeToCacheInBytes: 4e6,
      },
    }),
  ],
  worker: { format: 'es' },
  // The content policy allows our own files only, nothing inlined.
  build: {
    assetsInlineLimit: 0,
    sourcemap: true,
    chunkSizeWarningLimit: 900,
    rolldownOptions: {
      input: ['index.html', 'remote.html'],
      output: {
        codeSplitting: {
          // What a page needs at first comes in few files: every request delays the first picture.
          groups: [{ name: 'first', tags: ['$initial'], minShareCount: 2 }],
        },
      },
    },
  },
  server: { host: '127.0.0.1', headers: isolation, proxy: { '/api': { target: 'http://127.0.0.1:4180', ws: true } } },
  preview: { headers: isolation },
});
