/** Pixels of a picture. */
export interface ImageSize {
  readonly width: number;
  readonly height: number;
}

/**
 * How large the picture in a file is, told from its first bytes without decoding it: PNG (W3C, *Portable Network Graphics*,
 * 11.2.2), JPEG (ITU-T T.81, B.2.2) or WebP (RFC 9649, 2.5 to 2.7). Undefined for any other file, or one that ends too soon.
 */
export function imageSize(bytes: Uint8Array): ImageSize | undefined {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const text = (at: number, length: number) => String.fromCharCode(...bytes.subarray(at, at + length));
  try {
    if (text(1, 3) === 'PNG' && text(12, 4) === 'IHDR')
      return { width: view.getUint32(16), height: view.getUint32(20) };
    if (view.getUint16(0) === 0xffd8) return jpegSize(view);
    if (text(0, 4) === 'RIFF' && text(8, 4) === 'WEBP') return webpSize(view, text(12, 4));
  } catch (error) {
    if (!(error instanceof RangeError)) throw error;
  }
  return undefined;
}

/** The size that the frame header of a JPEG says: the first of the markers SOF0 to SOF15 that are frames. */
function jpegSize(view: DataView): ImageSize | undefined {
  for (let at = 2; at < view.byteLength; ) {
    if (view.getUint8(at) !== 0xff) return undefined;
    const marker = view.getUint8(at + 1);
    const isFrame = marker >= 0xc0 && marker <= 0xcf && ![0xc4, 0xc8, 0xcc].includes(marker);
    if (isFrame) return { width: view.getUint16(at + 7), height: view.getUint16(at + 5) };
    // Fill bytes, and markers that stand alone, have no length.
    at += marker === 0xff ? 1 : marker >= 0xd0 && marker <= 0xd8 ? 2 : 2 + view.getUint16(at + 2);
  }
  return undefined;
}

function webpSize(view: DataView, kind: string): ImageSize | undefined {
  const three = (at: number) => view.getUint16(at, true) + 65536 * view.getUint8(at + 2);
  if (kind === 'VP8X') return { width: three(24) + 1, height: three(27) + 1 };
  if (kind === 'VP8 ')
    return { width: view.getUint16(26, true) & 0x3fff, height: view.getUint16(28, true) & 0x3fff };
  if (kind !== 'VP8L') return undefined;
  const bits = view.getUint32(21, true);
  return { width: (bits & 0x3fff) + 1, height: ((bits >>> 14) & 0x3fff) + 1 };
}
