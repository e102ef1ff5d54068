import { describe, expect, it } from 'vitest';
import { inPieces, KnownPieces, textOf } from '../src/storage/pieces.js';

/** A small generator of even numbers in [0, 1) with a seed (Lehmer, modulus 2³¹ - 1). */
function drawing(seed: number): () => number {
  let state = seed;
  return () => {
    state = (state * 48271) % 2147483647;
    return state / 2147483647;
  };
}

describe('a text in pieces', () => {
  it('is cut the same whatever was known before: edited, cut short, longer, repeated, in other order', () => {
    for (let seed = 1; seed <= 60; seed++) {
      const next = drawing(seed);
      const at = (count: number) => Math.floor(count * next());
      // Lines that come again, and one without an end, are where a piece may be taken for another.
      const line = () =>
        next() < 0.3
          ? '    {\n'
          : `      [${at(500)}, ${at(1000) / 7}]${'.'.repeat(at(9) === 0 ? 40_000 : 0)}\n`;
      const lines = Array.from({ length: 200 + at(2000) }, line);
      if (seed % 3 === 0) lines.push('}');
      let known: KnownPieces | undefined;
      for (let step = 0; step < 6; step++) {
        const text = lines.join('');
        const plain = inPieces(text);
        const quick = inPieces(text, known);
        expect([quick.list, [...quick.pieces]]).toEqual([plain.list, [...plain.pieces]]);
        expect(textOf(quick.list, (digest) => quick.pieces.get(digest))).toBe(text);
        known = new KnownPieces(next() < 0.5 ? [quick] : [inPieces(line() + text), quick]);
        const [from, count] = [at(lines.length), at(50)];
        const edits = [
          () => lines.splice(from, 1, line()),
          () => lines.splice(from, count),
          () => lines.splice(from, 0, ...lines.slice(0, count)),
          () => lines.splice(-count - 1),
          () => lines.push(line(), '}'),
          () => lines.push(...lines.splice(0, from)),
        ];
        edits[at(edits.length)]();
      }
    }
  });
});
