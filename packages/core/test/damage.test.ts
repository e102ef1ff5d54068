import { strToU8, zipSync } from 'fflate';
import { describe, expect, it } from 'vitest';
import { random } from '../bench/subject.js';
import { bakePart, planBake } from '../src/bake/index.js';
import { projectFromCharacter, projectFromTake } from '../src/edit/index.js';
import {
  bvhText,
  FileError,
  mappingText,
  readAnyTake,
  readCharacter,
  readMapping,
  readProject,
  readStack,
  readTake,
  writeGlb,
  writeOnCharacter,
} from '../src/format/index.js';
import { compileStack } from '../src/index.js';
import type { Samples } from '../src/take/index.js';
import { anyStackText } from './any-stack.js';
import { awkwardCharacter } from './awkward.js';
import { captureBytes } from './capture.js';

/** Fifty frames of the capture (Carnegie Mellon database, 01_01), as a file and as a project with many features. */
const { take } = readTake('01_01.bvh', captureBytes());
const project = projectFromTake(take);
const fifty: Samples = bakePart(compileStack(project), planBake(project, {}), 0, 50);
const bvh = strToU8(bvhText(take.rig, fifty));
const stack = strToU8(anyStackText(projectFromTake(readTake('walk.bvh', bvh).take)));
const glb = await writeGlb(take.rig, fifty, { name: 'walk', metresPerUnit: 0.0254 });
const zip = zipSync({ 'stack.json': stack, 'takes/walk.bvh': bvh, 'project.json': strToU8('{"name":"x"}') });

type Read = (bytes: Uint8Array) => unknown;
const READERS: Record<string, { bytes: Uint8Array; read: Read; wholeWords: boolean }> = {
  BVH: { bytes: bvh, read: (bytes) => readTake('walk.bvh', bytes), wholeWords: true },
  stack: {
    bytes: stack,
    read: (bytes) =>
      readStack(bytes, 'x', (name) => (name === 'takes/walk.bvh' ? { bytes: bvh } : undefined)),
    wholeWords: true,
  },
  GLB: { bytes: glb, read: (bytes) => readAnyTake('walk.glb', bytes), wholeWords: false },
  character: {
    bytes: awkwardCharacter(),
    read: async (bytes) => {
      const { rig, character, takes } = await readCharacter('x.glb', bytes);
      const project = projectFromCharacter({ name: 'x', rig, character, takes });
      const still = bakePart(compileStack(project), planBake(project, { range: [0, 1] }), 0, 2);
      writeOnCharacter(character.bytes, rig, still, 'still');
    },
    wholeWords: true,
  },
  mapping: {
    bytes: strToU8(mappingText({ Hips: 'root', Head: 'skull' })),
    read: (bytes) => readMapping('map.json', bytes),
    wholeWords: true,
  },
  project: { bytes: zip, read: (bytes) => readProject(bytes, 'x.evlay'), wholeWords: false },
};

const WORDS = [
  '{',
  '}',
  '-1',
  '1e400',
  'NaN',
  '0',
  '',
  'CHANNELS',
  'JOINT',
  'null',
  '[]',
  '"',
  '999999999999',
  '\n',
  ',',
];

/** Damages a file in one to four ways, as the generator says. */
function damaged(bytes: Uint8Array, next: () => number, words: boolean): Uint8Array {
  let out = bytes;
  const at = () => Math.floor(next() * out.length);
  for (let times = 1 + Math.floor(next() * 4); times > 0; times--) {
    const kind = Math.floor(next() * (words ? 7 : 5));
    const from = at();
    const to = Math.min(out.length, from + 1 + Math.floor(next() ** 4 * out.length));
    if (kind === 0) out = out.slice(0, from);
    else if (kind === 1) out = spliced(out, from, to, new Uint8Array(0));
    else if (kind === 2) out = spliced(out, at(), 0, out.slice(from, to));
    else if (kind === 3) {
      out = out.slice();
      for (let k = from; k < Math.min(to, from + 8); k++) out[k] = Math.floor(next() * 256);
    } else if (kind === 4) {
      out = out.slice();
      if (out.length > 0) out[from] ^= 1 << Math.floor(next() * 8);
    } else if (kind === 5) out = spliced(out, from, from, strToU8(WORDS[Math.floor(next() * WORDS.length)]));
    else {
      // A whole word is exchanged for another.
      const text = new TextDecoder('latin1').decode(out);
      const word = /[^\s,[\]{}:"]+/g;
      word.lastIndex = from;
      const found = word.exec(text);
      const other = strToU8(WORDS[Math.floor(next() * WORDS.length)]);
      if (found) out = spliced(out, found.index, found.index + found[0].length, other);
    }
  }
  return out;
}

function spliced(bytes: Uint8Array, from: number, to: number, put: Uint8Array): Uint8Array {
  const end = Math.max(from, to);
  const out = new Uint8Array(from + put.length + bytes.length - end);
  out.set(bytes.subarray(0, from));
  out.set(put, from);
  out.set(bytes.subarray(end), from + put.length);
  return out;
}

describe('damaged files', () => {
  it.each([
    ['BVH', 7000],
    ['stack', 7000],
    ['project', 6000],
    ['GLB', 1000],
    ['character', 3000],
    ['mapping', 2000],
  ])(
    '%s: every one of %d ends in a typed error or a valid result',
    async (kind, count) => {
      const { bytes, read, wholeWords } = READERS[kind];
      await read(bytes);
      const next = random(20261125);
      let refused = 0;
      for (let k = 0; k < count; k++) {
        const file = damaged(bytes, next, wholeWords);
        try {
          await read(file);
        } catch (error) {
          refused++;
          if (!(error instanceof FileError)) throw new Error(`${kind} ${k}: ${(error as Error).stack}`);
          expect(error.message).toMatch(/\S/);
          expect(error.message).not.toMatch(/\n/);
        }
      }
      expect(refused).toBeGreaterThan(count / 2);
    },
    300_000,
  );
});
