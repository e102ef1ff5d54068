import type { FileSink } from '@evlay/core/bake';
import type { Piece } from '@evlay/core/format';

/** Bytes that are kept before they are handed to the browser, which takes half a millisecond and more each time. */
const KEPT = 32_000_000;

/** A sink whose file is a blob in the end: pieces that touch one another are handed over together. */
export function newBlobSink(): FileSink & { readonly file: () => Blob } {
  let pieces: Piece[] = [];
  let size = 0;
  let blobs: { readonly at: number; readonly blob: Blob }[] = [];
  const handOver = () => {
    pieces.sort((a, b) => a.at - b.at);
    for (let k = 0; k < pieces.length; ) {
      const { at } = pieces[k];
      const run: Uint8Array<ArrayBuffer>[] = [];
      for (let end = at; k < pieces.length && pieces[k].at === end; k++) {
        run.push(pieces[k].bytes);
        end += pieces[k].bytes.length;
      }
      blobs.push({ at, blob: new Blob(run) });
    }
    pieces = [];
    size = 0;
  };
  return {
    begin() {
      pieces = [];
      size = 0;
      blobs = [];
    },
    write(piece) {
      if (piece.bytes.length === 0) return;
      pieces.push(piece);
      size += piece.bytes.length;
      if (size > KEPT) handOver();
    },
    file() {
      handOver();
      blobs.sort((a, b) => a.at - b.at);
      return new Blob(blobs.map(({ blob }) => blob));
    },
  };
}
