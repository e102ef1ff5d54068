import { describe, expect, it } from 'vitest';
import { droppedFiles } from '../src/ui/dropped.js';

/** A file or a folder as a browser hands it over: a folder gives its entries in batches, and an empty one at the end. */
type Tree = string | { readonly name: string; readonly inside: readonly Tree[] };

function entryOf(tree: Tree): object {
  if (typeof tree === 'string') {
    const file = (done: (file: File) => void) => done(new File(['x'], tree));
    return { name: tree, isDirectory: false, file };
  }
  const createReader = () => {
    const waiting = tree.inside.map(entryOf);
    return { readEntries: (done: (entries: object[]) => void) => done(waiting.splice(0, 2)) };
  };
  return { name: tree.name, isDirectory: true, createReader };
}

const drop = (...trees: Tree[]) =>
  ({
    items: [
      { kind: 'string' },
      ...trees.map((tree) => ({
        kind: 'file',
        webkitGetAsEntry: () => entryOf(tree),
        getAsFile: () => new File(['x'], typeof tree === 'string' ? tree : tree.name),
      })),
    ],
  }) as unknown as DataTransfer;

describe('what is dropped', () => {
  it('is every file, those in folders with their paths, however many there are', async () => {
    const many = Array.from({ length: 7 }, (_, k) => `skin ${k}.png`);
    const found = await droppedFiles(
      drop('walk.bvh', {
        name: 'wick',
        inside: ['wick.gltf', { name: 'textures', inside: many }, 'wick.bin'],
      }),
    );
    expect(found.map(({ path }) => path).sort()).toEqual(
      ['walk.bvh', 'wick/wick.gltf', 'wick/wick.bin', ...many.map((name) => `wick/textures/${name}`)].sort(),
    );
  });

  it('may hold no file at all', async () => {
    expect(await droppedFiles(drop({ name: 'empty', inside: [] }))).toEqual([]);
  });
});
