/** Hands bytes, a file or text to the browser as a file. */
export function download(name: string, content: readonly (Uint8Array | Blob | string)[], type: string): void {
  const url = URL.createObjectURL(new Blob(content as BlobPart[], { type }));
  const link = document.createElement('a');
  link.href = url;
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(url), 60_000);
}

/** A file name made of a project's name. */
export const fileName = (name: string, ending: string): string =>
  `${name.replace(/[^\p{L}\p{N} ._-]+/gu, ' ').trim() || 'project'}.${ending}`;
