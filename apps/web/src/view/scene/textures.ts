import { type ImageSize, imageSize } from '@evlay/core/format';
import { ImageBitmapLoader } from 'three';
import type { GLTFParser } from 'three/addons/loaders/GLTFLoader.js';

/** Pixels of a texture along its longer side, at most: four bytes each, and a third more for its smaller copies. */
export const LARGEST = 4096;
/** Bytes of a file in which the size of its picture is looked for: what comes before it in a JPEG may be long. */
const HEAD = 256 * 1024;

/** Reads textures no larger than they may be, so that one huge picture does not take the memory of the graphics card. */
class BoundedBitmaps extends ImageBitmapLoader {
  constructor(private readonly reduced: (from: ImageSize) => void) {
    super();
  }

  override load(
    url: string,
    onLoad?: (picture: ImageBitmap) => void,
    _onProgress?: (event: ProgressEvent) => void,
    onError?: (error: unknown) => void,
  ): void {
    this.read(url).then((picture) => onLoad?.(picture), onError);
  }

  private async read(url: string): Promise<ImageBitmap> {
    const file = await (await fetch(url)).blob();
    const size = imageSize(new Uint8Array(await file.slice(0, HEAD).arrayBuffer()));
    // As three reads them: colours are not multiplied by how much they cover.
    const options = { premultiplyAlpha: 'none', colorSpaceConversion: 'none' } as const;
    const shrink = size ? Math.max(size.width, size.height) / LARGEST : 1;
    if (!size || shrink <= 1) return createImageBitmap(file, options);
    this.reduced(size);
    return createImageBitmap(file, {
      ...options,
      resizeWidth: Math.max(1, Math.round(size.width / shrink)),
      resizeHeight: Math.max(1, Math.round(size.height / shrink)),
      resizeQuality: 'high',
    });
  }
}

/** A plugin of the reader of GLB with which textures are no larger than they may be; who asks hears of those that were. */
export const boundedTextures = (reduced: (from: ImageSize) => void) => (parser: GLTFParser) => {
  parser.textureLoader = new BoundedBitmaps(reduced);
  return { name: 'bounded textures' };
};
