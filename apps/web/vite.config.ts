import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import react from '@vitejs/plugin-react';
import { defineConfig, type Plugin } from 'vite';

/** The decoder of Draco meshes, which three brings along and looks for by these names under /draco/. */
function dracoDecoder(): Plugin {
  const build = dirname(createRequire(import.meta.url).resolve('three'));
  const folder = join(build, '../examples/jsm/libs/draco/gltf');
  const files = ['draco_wasm_wrapper.js', 'draco_decoder.wasm'];
  return {
    name: 'draco-decoder',
    generateBundle() {
      for (const file of files)
        this.emitFile({ type: 'asset', fileName: `draco/${file}`, source: readFileSync(join(folder, file)) });
    },
    configureServer({ middlewares }) {
      for (const file of files)
        middlewares.use(`/draco/${file}`, (_, response) => {
          response.setHeader('Content-Type', file.endsWith('.wasm') ? 'application/wasm' : 'text/javascript');
          response.end(readFileSync(join(folder, file)));
        });
    },
  };
}

export default defineConfig({
  plugins: [react(), dracoDecoder()],
  worker: { format: 'es' },
  // Fonts stay files, so that the page needs no data: source for them.
  build: { chunkSizeWarningLimit: 3000, assetsInlineLimit: 0 },
});
