/** What is used of gifenc, which has no types of its own. */
declare module 'gifenc' {
  type Palette = number[][];
  export function quantize(rgba: Uint8ClampedArray, colors: number): Palette;
  export function applyPalette(rgba: Uint8ClampedArray, palette: Palette): Uint8Array;
  export function GIFEncoder(): {
    writeFrame(
      indices: Uint8Array,
      width: number,
      height: number,
      options: { readonly palette: Palette; readonly delay: number },
    ): void;
    finish(): void;
    bytes(): Uint8Array;
    reset(): void;
  };
}
