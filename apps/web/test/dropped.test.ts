import { describe, expect, it } from 'vitest';
import { fileSets } from '../src/jobs/file-sets.js';
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

describe('files that are opened', () => {
  const files = (...paths: string[]) => paths.map((path) => ({ path, file: new Blob([]) }));
  const paths = (sets: ReturnType<typeof fileSets>['sets']) => sets.map((set) => set.map(({ path }) => path));

  it('are one by one, in the order of their numbers, each with what lies beside it', () => {
    const { sets, refused } = fileSets(
      files(
        'b/skin.png',
        'walk-10.bvh',
        'a/wick.gltf',
        'walk-9.bvh',
        'a/wick.bin',
        'b/dog.gltf',
        'notes.docx',
        '.hidden',
      ),
    );
    expect(paths(sets).sort()).toEqual(
      [['a/wick.gltf', 'a/wick.bin'], ['b/dog.gltf', 'b/skin.png'], ['walk-9.bvh'], ['walk-10.bvh']].sort(),
    );
    const motions = paths(sets)
      .flat()
      .filter((path) => path.endsWith('.bvh'));
    expect(motions).toEqual(['walk-9.bvh', 'walk-10.bvh']);
    expect(refused.map(({ file }) => file)).toEqual(['notes.docx']);
    // Beside a character from elsewhere everything may be its own.
    expect(paths(fileSets(files('x/wick.gltf', 'skin.png')).sets)).toEqual([['x/wick.gltf', 'skin.png']]);
    expect(fileSets([])).toEqual({ sets: [], refused: [] });
  });
});
