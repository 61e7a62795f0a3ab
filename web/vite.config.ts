import tailwindcss from '@tailwindcss/vite';
import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';
import { version } from './package.json';

/** Without cross-origin isolation the browser rounds time to 0.1 ms. */
const isolation = {
  'Cross-Origin-Opener-Policy': 'same-origin',
  'Cross-Origin-Embedder-Policy': 'require-corp',
};

export default defineConfig({
  define: { __APP_VERSION__: JSON.stringify(version) },
  plugins: [react(), tailwindcss()],
  worker: { format: 'es' },
  // The content policy allows our own files only, nothing inlined.
  build: {
    assetsInlineLimit: 0,
    sourcemap: true,
    chunkSizeWarningLimit: 900,
    rollupOptions: { input: ['index.html', 'remote.html'] },
  },
  server: { host: '127.0.0.1', headers: isolation, proxy: { '/api': { target: 'http://127.0.0.1:4180', ws: true } } },
  preview: { headers: isolation },
});
