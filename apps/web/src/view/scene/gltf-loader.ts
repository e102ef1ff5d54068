import type { ImageSize } from '@evlay/core/format';
import { MeshoptDecoder } from 'meshoptimizer/decoder';
import type * as THREE from 'three';
import { DRACOLoader } from 'three/addons/loaders/DRACOLoader.js';
import { GLTFLoader, type GLTFParser } from 'three/addons/loaders/GLTFLoader.js';
import { KTX2Loader } from 'three/addons/loaders/KTX2Loader.js';
import { boundedTextures } from './textures.js';

/** What unpacks Draco meshes, in workers of its own, which begin when the first such mesh is read. */
const draco = new DRACOLoader().setDecoderPath('/draco/');

/** Unpacks Basis textures in workers that are a file of their own: the server lets them do what the page may not. */
class ServedKtx2Loader extends KTX2Loader {
  override async init(): Promise<void> {
    await super.init();
    this.workerPool.setWorkerCreator(() => {
      const worker = new Worker('/basis/worker.js');
      const transcoderBinary = (this.transcoderBinary as ArrayBuffer).slice(0);
      worker.postMessage({ type: 'init', config: this.workerConfig, transcoderBinary }, [transcoderBinary]);
      return worker;
    });
  }
}

let basis: KTX2Loader | undefined;

/** What unpacks Basis textures, into what the graphics card can keep packed where it can. */
function basisLoader(): KTX2Loader {
  if (basis) return basis;
  const gl = document.createElement('canvas').getContext('webgl2');
  const extensions = {
    has: (name: string) => (gl?.getExtension(name) ?? null) !== null,
    get: (name: string) => gl?.getExtension(name),
  };
  // It asks a renderer for nothing but its extensions.
  const renderer = { extensions } as unknown as THREE.WebGLRenderer;
  basis = new ServedKtx2Loader().setTranscoderPath('/basis/').detectSupport(renderer);
  gl?.getExtension('WEBGL_lose_context')?.loseContext();
  return basis;
}

/** Unpacks Basis textures where a file has some. */
const basisTextures = (parser: GLTFParser) => {
  const { extensionsUsed = [] } = parser.json as { extensionsUsed?: readonly string[] };
  if (extensionsUsed.includes('KHR_texture_basisu')) parser.options.ktx2Loader = basisLoader();
  return { name: 'basis textures' };
};

/**
 * A loader of glTF files of any packing that is read: Draco meshes, meshopt buffers, quantised numbers, Basis textures. Of a texture that is
 * shown smaller than it is `reduced` hears.
 */
export const newGltfLoader = (reduced: (from: ImageSize) => void = () => undefined): GLTFLoader =>
  new GLTFLoader()
    .setDRACOLoader(draco)
    .setMeshoptDecoder(MeshoptDecoder)
    .register(basisTextures)
    .register(boundedTextures(reduced));
