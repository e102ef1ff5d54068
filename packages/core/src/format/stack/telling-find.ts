import type { FindFile } from './stack-scene.js';

/**
 * Finds files as another does, and tells before each is read what part of `all` bytes those were that were asked for
 * earlier.
 */
export function tellingFind(find: FindFile, all: number, onProgress?: (done: number) => void): FindFile {
  if (!onProgress) return find;
  const asked = new Map<string, number>();
  return (name) => {
    onProgress([...asked.values()].reduce((sum, length) => sum + length, 0) / Math.max(1, all));
    const found = find(name);
    asked.set(name, found?.bytes.length ?? 0);
    return found;
  };
}
