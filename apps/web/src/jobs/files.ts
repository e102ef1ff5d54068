import { checkSize } from '@evlay/core/format';
import { knowDigest } from '../storage/save-of.js';
import type { PathFile } from '../ui/dropped.js';

/** What is told of something that was cancelled. */
export const CANCELLED = { refused: 'It was cancelled; nothing has changed.' };

/** Refuses files that are too large to be read. */
export function checkSizes(files: readonly PathFile[]): void {
  for (const { path, file } of files) checkSize(path, file.size);
}

/** Takes over the digests of files that the worker has worked out, by the ids of the files. */
export function learnDigests(
  files: readonly { readonly id: string; readonly bytes: Uint8Array }[],
  digests: Readonly<Record<string, string>>,
): void {
  for (const { id, bytes } of files) if (digests[id] !== undefined) knowDigest(bytes, digests[id]);
}
