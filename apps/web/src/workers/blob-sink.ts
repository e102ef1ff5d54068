import type { FileSink } from '@evlay/core/bake';
import type { ByteRange } from '@evlay/core/format';

/** Bytes that are kept before they are handed to the browser, which takes half a millisecond and more each time. */
const KEPT = 32_000_000;

/** A sink whose file is a blob in the end: ranges that touch one another are handed over together. */
export function newBlobSink(): FileSink & { readonly file: () => Blob } {
  let ranges: ByteRange[] = [];
  let size = 0;
  let blobs: { readonly at: number; readonly blob: Blob }[] = [];
  const handOver = () => {
    ranges.sort((a, b) => a.at - b.at);
    for (let k = 0; k < ranges.length; ) {
      const { at } = ranges[k];
      const run: Uint8Array<ArrayBuffer>[] = [];
      for (let end = at; k < ranges.length && ranges[k].at === end; k++) {
        run.push(ranges[k].bytes);
        end += ranges[k].bytes.length;
      }
      blobs.push({ at, blob: new Blob(run) });
    }
    ranges = [];
    size = 0;
  };
  return {
    begin() {
      ranges = [];
      size = 0;
      blobs = [];
    },
    write(range) {
      if (range.bytes.length === 0) return;
      ranges.push(range);
      size += range.bytes.length;
      if (size > KEPT) handOver();
    },
    file() {
      handOver();
      blobs.sort((a, b) => a.at - b.at);
      return new Blob(blobs.map(({ blob }) => blob));
    },
  };
}
