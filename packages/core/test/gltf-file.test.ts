import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { editJson } from '../src/format/gltf/json-text.js';
import { FileError, joinGlb, meshBounds, packGltf, readSkeleton, splitGlb } from '../src/format/index.js';
import { awkwardCharacter } from './awkward.js';

const json = (value: unknown) => new TextEncoder().encode(JSON.stringify(value));

describe('JSON that is changed as text', () => {
  const name = fc.stringMatching(/^[a-z]{1,6}$/);
  const object = fc.dictionary(name, fc.jsonValue(), { minKeys: 1, maxKeys: 6, noNullPrototype: true });

  it('holds what was set, removed and added, and all else as it was', () => {
    fc.assert(
      fc.property(
        object,
        fc.array(fc.jsonValue(), { minLength: 1, maxLength: 3 }),
        fc.jsonValue(),
        fc.constantFrom(0, 1, 2, '\t'),
        fc.nat(),
        (before, elements, value, indent, pick) => {
          const keys = Object.keys(before).filter((key) => key !== 'list');
          const text = JSON.stringify({ ...before, list: [1, 2] }, null, indent);
          const gone = keys[pick % Math.max(1, keys.length)];
          const edits = editJson(text);
          if (gone !== undefined) edits.remove([gone]);
          edits.set(['fresh one'], value);
          edits.append('list', elements);
          edits.append('other list', elements);
          const wanted: Record<string, unknown> = { ...before, list: [1, 2, ...elements] };
          if (gone !== undefined) delete wanted[gone];
          expect(JSON.parse(edits.text())).toEqual(
            JSON.parse(JSON.stringify({ ...wanted, 'fresh one': value, 'other list': elements })),
          );
        },
      ),
      { seed: 20261125, numRuns: 400 },
    );
  });

  it('leaves numbers, order and white space where nothing was changed', () => {
    const text = '{ "b": 1.50,\n\t"a": [ 1e-3 , 2 ],  "c": {"d":0} }';
    const edits = editJson(text);
    edits.set(['c', 'd'], 7);
    edits.append('a', [3]);
    expect(edits.text()).toBe('{ "b": 1.50,\n\t"a": [ 1e-3 , 2,3 ],  "c": {"d":7} }');
    const empty = editJson('{"only": {"one": 1}, "none": []}');
    empty.remove(['only', 'one']);
    empty.set(['only', 'two'], 2);
    empty.append('none', [1]);
    expect(JSON.parse(empty.text())).toEqual({ only: { two: 2 }, none: [1] });
  });
});

describe('a .gltf with its files', () => {
  const gltf = {
    asset: { version: '2.0' },
    scenes: [{ nodes: [0] }],
    nodes: [{ name: 'lamp' }],
    buffers: [
      { uri: 'a%20b.bin', byteLength: 5 },
      { uri: `data:application/octet-stream;base64,${btoa('wxyz')}`, byteLength: 4 },
    ],
    bufferViews: [
      { buffer: 0, byteOffset: 1, byteLength: 4 },
      { buffer: 1, byteLength: 4 },
    ],
    images: [{ uri: 'lamp.png', name: 'glow' }, { uri: 'gone.jpg' }],
  };
  const files: Record<string, Uint8Array> = {
    'a b.bin': Uint8Array.of(1, 2, 3, 4, 5),
    'lamp.png': Uint8Array.of(0x89, 0x50, 0x4e, 0x47, 9),
  };

  it('becomes one file: every view and picture has the bytes that it had', () => {
    const { bytes, warnings } = packGltf(json(gltf), (name) => files[name]);
    expect(warnings).toEqual([expect.stringMatching(/"gone\.jpg" is missing/)]);
    const parts = splitGlb(bytes);
    const packed = JSON.parse(parts.json);
    expect(packed.buffers).toEqual([{ byteLength: parts.bin.length }]);
    const view = (v: number) => {
      const { byteOffset = 0, byteLength } = packed.bufferViews[v];
      return [...parts.bin.subarray(byteOffset, byteOffset + byteLength)];
    };
    expect(view(0)).toEqual([2, 3, 4, 5]);
    expect(view(1)).toEqual([...'wxyz'].map((c) => c.charCodeAt(0)));
    expect(packed.images[0]).toEqual({ name: 'glow', bufferView: 2, mimeType: 'image/png' });
    expect(view(2)).toEqual([...files['lamp.png']]);
    expect(packed.images[1]).toEqual({ uri: 'gone.jpg' });
    // One file that needs no other comes back as it is.
    const whole = awkwardCharacter();
    expect(packGltf(whole).bytes).toBe(whole);
  });

  it.each([
    ['a buffer that is missing', gltf, {}, /buffers\[0\]\.uri: the file "a%20b\.bin" is missing/],
    [
      'a buffer that is too short',
      gltf,
      { 'a b.bin': Uint8Array.of(1) },
      /buffers\[0\]: 1 bytes, expected 5/,
    ],
    [
      'a view of no buffer',
      { ...gltf, bufferViews: [{ buffer: 7, byteLength: 1 }] },
      files,
      /bufferViews\[0\]\.buffer/,
    ],
    [
      'glTF 1.0',
      { asset: { version: '1.0' } },
      {},
      /asset\.version: the file is glTF 1\.0, expected glTF 2\.0/,
    ],
    ['text', 'Dear Wick', {}, /expected/],
  ])('%s: an error that says where', (_, content, beside: Record<string, Uint8Array>, message) => {
    const read = () => packGltf(json(content), (name) => beside[name]);
    expect(read).toThrow(FileError);
    expect(read).toThrow(message);
  });
});

describe('the skeleton of a file', () => {
  const file = (content: object) =>
    joinGlb({
      json: JSON.stringify({ asset: { version: '2.0' }, ...content }),
      bin: new Uint8Array(0),
      others: [],
    });

  it('takes in what lies between joints, and leaves out what hangs below another root', () => {
    const nodes = [
      { name: 'top', children: [1] },
      { name: 'hips', children: [2] },
      { name: 'between', children: [3] },
      { name: 'head' },
      { name: 'prop' },
    ];
    const skeleton = readSkeleton(
      file({ nodes, scenes: [{ nodes: [0, 4] }], skins: [{ joints: [1, 3, 4] }] }),
    );
    expect(skeleton.rig.joints.map(({ name }) => name)).toEqual(['hips', 'between', 'head']);
    expect(skeleton.ancestors).toEqual([0]);
    expect(skeleton.warnings).toEqual([expect.stringMatching(/1 joints hang below another root.*prop/)]);
  });

  it('begins at the top where what stands above it squeezes it, and tells joints of one name apart', () => {
    const nodes = [
      { name: 'a', scale: [1, 2, 1], children: [1, 2] },
      { name: 'a', rotation: [0, 0, Math.SQRT1_2, Math.SQRT1_2] },
      { name: 'a' },
    ];
    const { rig, ancestors } = readSkeleton(
      file({ nodes, scenes: [{ nodes: [0] }], skins: [{ joints: [1, 2] }] }),
    );
    expect(rig.joints.map(({ name, parent }) => [name, parent])).toEqual([
      ['a', -1],
      ['a-2', 0],
      ['a-3', 0],
    ]);
    expect(ancestors).toEqual([]);
  });

  it.each([
    ['flat', { nodes: [{ scale: [1, 0, 1] }], skins: [{ joints: [0] }] }, /nodes\[0\]: the joint is .*flat/],
    ['in a ring', { nodes: [{ children: [1] }, { children: [0] }] }, /hangs below itself/],
    [
      'held twice',
      { nodes: [{ children: [2] }, { children: [2] }, {}] },
      /nodes\[1\]\.children\[0\]: node 2 hangs below two/,
    ],
    ['not there', { nodes: [{}], skins: [{ joints: [4] }] }, /skins\[0\]\.joints\[0\]: there is no node 4/],
    [
      'turned by no rotation',
      { nodes: [{ rotation: [0, 0, 0, 2] }], skins: [{ joints: [0] }] },
      /nodes\[0\]\.rotation/,
    ],
  ])('with a joint that is %s is an error that says where', (_, content, message) => {
    expect(() => readSkeleton(file(content))).toThrow(message);
  });

  it('has the bounds of its meshes as they stand in the scene', () => {
    const skeleton = readSkeleton(
      file({
        scenes: [{ nodes: [0] }],
        nodes: [
          { translation: [10, 0, 0], scale: [2, 2, 2], children: [1] },
          { mesh: 0, translation: [0, 1, 0] },
        ],
        meshes: [{ primitives: [{ attributes: { POSITION: 0 } }] }],
        accessors: [{ componentType: 5126, type: 'VEC3', count: 8, min: [-1, -1, -1], max: [1, 1, 3] }],
      }),
    );
    expect(meshBounds(skeleton)).toEqual({ low: [8, 0, -2], high: [12, 4, 6] });
  });
});
