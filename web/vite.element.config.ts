import { defineConfig } from 'vite';

/** The web component for other sites' pages: one script, which needs nothing else. */
export default defineConfig({
  build: {
    outDir: 'dist',
    emptyOutDir: false,
    copyPublicDir: false,
    lib: {
      entry: 'src/pages/picker/element.ts',
      formats: ['iife'],
      name: 'uniferumPicker',
      fileName: () => 'picker.js',
    },
  },
});
