import tailwindcss from '@tailwindcss/vite';
import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

/** Where `npm run demo` serves, for working on the console with the development server. */
const DEMO_URL = process.env.UNIFERUM_URL ?? 'http://127.0.0.1:4280';

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: {
    outDir: 'dist',
    emptyOutDir: false,
    chunkSizeWarningLimit: 900,
    rollupOptions: { input: { index: 'index.html', picker: 'picker.html' } },
  },
  server: { proxy: { '/api': DEMO_URL, '/media': DEMO_URL } },
});
