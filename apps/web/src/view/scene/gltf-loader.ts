import type { ImageSize } from '@evlay/core/format';
import { MeshoptDecoder } from 'meshoptimizer/decoder';
import { DRACOLoader } from 'three/addons/loaders/DRACOLoader.js';
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
import { boundedTextures } from './textures.js';

/** What unpacks Draco meshes, in workers of its own, which begin when the first such mesh is read. */
const draco = new DRACOLoader().setDecoderPath('/draco/');

/**
 * A loader of glTF files of any packing that is read: Draco meshes, meshopt buffers, quantised numbers. Of a texture that is
 * shown smaller than it is `reduced` hears.
 */
export const newGltfLoader = (reduced: (from: ImageSize) => void = () => undefined): GLTFLoader =>
  new GLTFLoader().setDRACOLoader(draco).setMeshoptDecoder(MeshoptDecoder).register(boundedTextures(reduced));
