import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import react from '@vitejs/plugin-react';
import { KTX2Loader } from 'three/addons/loaders/KTX2Loader.js';
import { defineConfig, type Plugin } from 'vite';

/** Where three keeps the decoders of packed meshes and textures. */
const LIBS = join(dirname(createRequire(import.meta.url).resolve('three')), '../examples/jsm/libs');

/** The decoders by the addresses at which the page looks for them. */
const DECODERS: Readonly<Record<string, () => string | Uint8Array>> = {
  'draco/draco_wasm_wrapper.js': () => readFileSync(join(LIBS, 'draco/gltf/draco_wasm_wrapper.js')),
  'draco/draco_decoder.wasm': () => readFileSync(join(LIBS, 'draco/gltf/draco_decoder.wasm')),
  'basis/basis_transcoder.js': () => readFileSync(join(LIBS, 'basis/basis_transcoder.js')),
  'basis/basis_transcoder.wasm': () => readFileSync(join(LIBS, 'basis/basis_transcoder.wasm')),
  'basis/worker.js': basisWorker,
};

/**
 * The worker in which three unpacks textures, as a file. Three makes it of text, and such a worker may not do what the page may
 * not: make functions of text, as the transcoder does. One that is a file has rights of its own, which the server gives.
 */
function basisWorker(): string {
  const { EngineFormat, EngineType, TranscoderFormat, BasisFormat, BasisWorker } =
    KTX2Loader as unknown as Record<string, object>;
  const constants = Object.entries({
    _EngineFormat: EngineFormat,
    _EngineType: EngineType,
    _TranscoderFormat: TranscoderFormat,
    _BasisFormat: BasisFormat,
  }).map(([name, value]) => `let ${name} = ${JSON.stringify(value)};`);
  const body = String(BasisWorker);
  return [
    ...constants,
    readFileSync(join(LIBS, 'basis/basis_transcoder.js'), 'utf8'),
    body.slice(body.indexOf('{') + 1, body.lastIndexOf('}')),
  ].join('\n');
}

function decoders(): Plugin {
  return {
    name: 'decoders',
    generateBundle() {
      for (const [fileName, source] of Object.entries(DECODERS))
        this.emitFile({ type: 'asset', fileName, source: source() });
    },
    configureServer({ middlewares }) {
      for (const [fileName, source] of Object.entries(DECODERS))
        middlewares.use(`/${fileName}`, (_, response) => {
          const type = fileName.endsWith('.wasm') ? 'application/wasm' : 'text/javascript';
          response.setHeader('Content-Type', type);
          response.end(source());
        });
    },
  };
}

export default defineConfig({
  plugins: [react(), decoders()],
  worker: { format: 'es' },
  server: {
    headers: { 'Cross-Origin-Opener-Policy': 'same-origin', 'Cross-Origin-Embedder-Policy': 'require-corp' },
  },
  // Fonts stay files, so that the page needs no data: source for them.
  build: { chunkSizeWarningLimit: 3000, assetsInlineLimit: 0 },
});
