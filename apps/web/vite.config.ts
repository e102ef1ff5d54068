import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

export default defineConfig({
  plugins: [react()],
  worker: { format: 'es' },
  // Fonts stay files, so that the page needs no data: source for them.
  build: { chunkSizeWarningLimit: 3000, assetsInlineLimit: 0 },
});
