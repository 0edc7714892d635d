import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

/** The browser's part of the demo site. */
export default defineConfig({
  plugins: [react()],
  build: {
    outDir: 'dist/browser',
    emptyOutDir: false,
    rollupOptions: {
      input: 'browser/react-editor.tsx',
      output: { entryFileNames: '[name].js' },
    },
  },
});
