/** A file that was dropped or chosen, with its path where it came in a folder. It is read in a worker. */
export interface PathFile {
  readonly path: string;
  readonly file: Blob;
}

/** A file that was not brought in, and why not, in words for people. */
export interface RefusedFile {
  readonly file: string;
  readonly reason: string;
}

/** All files of a drop, those in folders too, with their paths. */
export async function droppedFiles(transfer: DataTransfer): Promise<PathFile[]> {
  // Entries are asked for at once: after the event has passed they are gone.
  const items = [...transfer.items].filter(({ kind }) => kind === 'file');
  const entries = items.map((item) => ({ entry: item.webkitGetAsEntry(), file: item.getAsFile() }));
  const found = await Promise.all(
    entries.map(({ entry, file }) => {
      if (entry?.isDirectory) return filesIn(entry as FileSystemDirectoryEntry, `${entry.name}/`);
      return file ? [{ path: file.name, file }] : [];
    }),
  );
  return found.flat();
}

async function filesIn(folder: FileSystemDirectoryEntry, path: string): Promise<PathFile[]> {
  const reader = folder.createReader();
  const entries: FileSystemEntry[] = [];
  // A reader gives a hundred entries at a time, until there are none left.
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((resolve, reject) =>
      reader.readEntries(resolve, reject),
    );
    if (some.length === 0) break;
    entries.push(...some);
  }
  const found = await Promise.all(
    entries.map(async (entry) => {
      if (entry.isDirectory) return filesIn(entry as FileSystemDirectoryEntry, `${path}${entry.name}/`);
      const file = await new Promise<File>((resolve, reject) =>
        (entry as FileSystemFileEntry).file(resolve, reject),
      );
      return [{ path: path + entry.name, file }];
    }),
  );
  return found.flat();
}
